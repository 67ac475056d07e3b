"""The use cases from a shell. `./mavrik` prepares the machine and then calls this."""

from __future__ import annotations

import argparse
import getpass
import os
import sys
from datetime import UTC, datetime
from pathlib import Path

from mavrik.domain.job import CircuitRole
from mavrik.exchange.bundle import BundleError, read_bundle

ASSESS_HELP = """
Reads a job bundle, judges its latest circuit by all runs on it, and prints what is found as JSON.
Needs no database and no network. Exit 0 when it could judge, 2 for a file that is not a sound bundle.
docs/formats/ has the JSON Schemas of the bundle and of this output.

The output, field by field (V, A, ohm, W, degC, m; every quantity has its unit in its name):
"""


STANDIN_PORT = 8743

SOLVE_HELP = """
Solves the latest circuit of a bundle at an operating state and prints what every probe would read, as JSON. Needs no
database and no network. Exit 0 with an answer, 2 for a file that is not sound or a circuit without an operating point.

The state, a JSON file; every field may be left out:
  engine_rpm (2000), engine_space_c (40), ambient_c (20), alternator_c (60)
  warmed_up          cables at the temperature their current settles at (false: that of their surroundings)
  cranking           starters on, alternators off
  loads_on           {load id: true|false}; left out, as the document has it
  contacts           {id of a switch, breaker, relay or link: closed?}; a link between its thresholds stays as it was
  output_a           {alternator id: A}: a known output, whatever the voltage
  stud_v             {alternator id: V}: read between its stud and case; says how charged the batteries are
  state_of_charge    {battery id: 0 to 1}
  lasts_s (3600)     how long the state has lasted: a link waits its delay before it turns
  chargers_on        whether bench chargers are plugged in
  converters_on      whether DC-DC chargers run
  bank, fault        {from_node, to_node, current_a} and {from_node, to_node, resistance_mohm}: a load bank, a dead short
  watch_node         where the voltage is asked about that gains answers for; left out, the first battery's positive post

The output, field by field (V, A, ohm, W, degC; every quantity has its unit in its name):
  format, version, program_version    "mavrik-operating-point", 1
  job_number, circuit_role, circuit_revision
  point
    state                the state as it was understood
    node_voltages_v      of every node, against the first alternator's case
    branches[]           branch_id, label, from_v, to_v, current_a (along from_node to to_node), drop_v, heat_w,
                         resistance_ohm (null while open), temperature_c, closed, limit_c (class of its
                         insulation), seconds_to_limit (this current's time to it; null: it stays below)
    devices[]            device_id, label, kind (alternator, charger, battery, load, converter_in, converter_out, bank, fault),
                         volts, current_a and power_w (given; taken where negative), does, limit_a
    supplies[]           source_id, taker_id, current_a: who supplies whom, by proportional sharing where currents meet
    given_w, taken_w, lost_w            they balance: given = taken + lost
    notes[]              links that chatter, loads and chargers that switched themselves off
  gains                plus, minus, volts; branches[]: branch_id, label, volt_per_mohm (slope), perfect_v (gained without any
                       resistance there), larger and larger_v (the next cable size and what it gains)
  course               null without a fault; else stages[] from one opening to the next with fault_a, given by each source,
                       opens (the fuse: current_a, least_s, most_s, interrupting_a, can_interrupt), least_s and most_s since
                       the fault began, cables[] (from_c, to_c, limit_c, seconds_to_limit, survives); cleared, survives, headline, words
  protection           contacts[], conductors[] (current_a of its hardest use, allowed_a), sources[] (what a battery feeds unfused),
                       protectors[]: each fuse and breaker: part, outcome (good, watch, bad), prospective_a, interrupting_a,
                       opens, and checks[] (name: load, cable, voltage, breaking, withstand, cranking, inrush, order; words)

--spice FILE also writes the circuit at that state as a netlist that ngspice runs.
"""


PLAN_HELP = """
Sizes leads, fuses and contacts of the circuit as found, by the target that was kept last or one for the loads of the job, and says
whether it keeps up. Needs no database and no network. Exit 0 with a plan, 2 for a file that is not sound or where no plan holds.

The output (docs/formats/mavrik-plan.v1.schema.json says every field; A, V, Ah, mm, 1/min, each with its unit in its name):
  format, version, program_version    "mavrik-plan", 1
  job_number, circuit_revision        of the circuit as found
  proposal             target, circuit (the new document), choices[] (branch_id, label, before, after, reason), notes[]
  set_point            of the regulator against each battery it charges: windows[], proposed_v, high, findings[]
  drive                what the pulley that was kept does: speeds[], pulley, belt, findings[]; null without one
  use                  now and planned: headline, idle_surplus_a (hot), scenes[], speeds[], day[], findings[]; planned_by
"""


ISOLATE_HELP = """
Puts a disconnect into the circuit as found, each way it can be had, and says whether it does what it is for. Needs no database and no
network. Exit 0 with an answer, 2 for a file that is not sound or a way that cannot be had.

The output (docs/formats/mavrik-isolation.v2.schema.json says every field; A, V, each with its unit in its name):
  format, version, program_version    "mavrik-isolation", 2
  job_number, circuit_revision, purpose
  ways[]               topology, label, does, changes, moves[], assumed[], switching, circuit (the new document)
    verdicts[]         of the purpose: does (null: not yet proven), headline, answers[] (rule, kind, outcome, words, row that decides, change), owner[]
    rows[]             of the truth table: on, off, situation, live, runs, cranks, fed, closed, pulled_in, drain_a, stud_v, chatters
"""


BUILD_HELP = """
Lists the leads to make for the plan in a bundle, the cable they are cut from and the steps in a safe order; without a plan, where the
job is to make leads, every lead of its circuit. Needs no database and no network. Exit 0 with a list, 2 for a file that is not sound.

The output (docs/formats/mavrik-build.v2.schema.json says every field; mm, Nm, N, mV, minutes, each with its unit in its name):
  format, version, program_version    "mavrik-build", 1
  job_number, circuit_revision
  book                 what was measured, chosen and ticked: leads[], anew[], ticks[] (step, by, at), parts[], photos[]
  view                 headline, cards[] (size, cut_mm, ends[], in_order[], waits[], assumed[], problem), cables[] (size, total_mm,
                       cuts[]), steps[] (id, phase, text, minutes, tools[], people, done, ready, waits_for[]), next_step, minutes_left
  bill                 lines[] (text, wanted, buy, number, price, amount, rough, unpriced), parts, labour, tax, total, as decimals in
                       strings: by the parts and prices that a workshop begins with, with nothing in stock
With --csv the pieces to cut alone: cable, cut_mm, pieces, lead, and point, lug and stud of either end.
"""


class _AssessHelp(argparse.RawDescriptionHelpFormatter):
    """The fields of the output are those of the schema; it is only loaded when somebody asks."""

    def format_help(self) -> str:
        from mavrik.exchange.findings_json import fields_in_words

        return f"{super().format_help()}{fields_in_words()}\n"


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="mavrik", description="The use cases of Mavrik from a shell.")
    commands = parser.add_subparsers(dest="command", required=True)
    assess = commands.add_parser(
        "assess",
        help="judge a job bundle, without a database",
        epilog=ASSESS_HELP,
        formatter_class=_AssessHelp,
    )
    assess.add_argument("file", help="a .mavrik.json file, or - for standard input")
    solve = commands.add_parser(
        "solve",
        help="solve a bundle's circuit at an operating state, without a database",
        epilog=SOLVE_HELP,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    solve.add_argument("file", help="a .mavrik.json file, or - for standard input")
    solve.add_argument("--state", help="a JSON file with the operating state; left out, 2000 /min with everything on")
    solve.add_argument("--spice", type=Path, help="also write a SPICE netlist here")
    for one in (assess, solve):
        one.add_argument(
            "--role", choices=[r.value for r in CircuitRole], default=CircuitRole.AS_FOUND.value, help="which circuit"
        )
    plan = commands.add_parser(
        "plan",
        help="size the leads of a bundle's circuit and say whether it keeps up, without a database",
        epilog=PLAN_HELP,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    plan.add_argument("file", help="a .mavrik.json file, or - for standard input")
    plan.add_argument("--target", type=float, help="alternator output to carry [A]; left out, as kept or as the loads ask")
    isolate = commands.add_parser(
        "isolate",
        help="say what a disconnect does on a bundle's circuit, without a database",
        epilog=ISOLATE_HELP,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    isolate.add_argument("file", help="a .mavrik.json file, or - for standard input")
    isolate.add_argument("--purpose", default="storage", help="emergency, storage, service, theft, drain, winch or second_bank")
    isolate.add_argument("--topology", help="only this way; left out, every one that can be had")
    isolate.add_argument("--every-row", action="store_true", help="the whole truth table, not only what is read first")
    build = commands.add_parser(
        "build",
        help="list leads, cable and steps of a bundle's plan, without a database",
        epilog=BUILD_HELP,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    build.add_argument("file", help="a .mavrik.json file, or - for standard input")
    build.add_argument("--csv", action="store_true", help="the pieces to cut, as CSV")
    sheet = commands.add_parser("sheet", help="print a job bundle's sheet as PDF, without a database")
    sheet.add_argument("file", help="a .mavrik.json file")
    sheet.add_argument("output", type=Path, help="the PDF to write")
    standin = commands.add_parser("standin", help="a simulated vehicle with six instruments, SCPI over TCP on loopback")
    standin.add_argument("--vehicle", default="front", help="front, rear, parallel or car")
    standin.add_argument("--fault", default="none:", help="what is hidden in it, as belt_slips:alternator; left out, nothing")
    standin.add_argument("--port", type=int, default=STANDIN_PORT, help="of the multimeter; the others take the next five")
    prepare = commands.add_parser("prepare", help="make the database ready (used by ./mavrik)")
    prepare.add_argument("--demo", action="store_true", help="load the demo into an empty database")
    prepare.add_argument("--first-login", help="login of the first account, where there is none")
    prepare.add_argument("--first-name", help="name of the first account")
    commands.add_parser("tidy", help="empty what has lain in the waste basket for thirty days (used by ./mavrik)")
    commands.add_parser("work", help="do what people asked for that takes long, until told to end (used by ./mavrik)")
    for word, what in (("backup", "write the database to a file"), ("restore", "put a backup in the database's place")):
        one = commands.add_parser(word, help=f"{what} (used by ./mavrik)")
        one.add_argument("file", type=Path)
    formats = commands.add_parser("formats", help="write the published schemas (used when a format changes)")
    formats.add_argument("folder", type=Path)
    formats.add_argument("--check", action="store_true", help="write nothing; fail where a file is out of date")
    return parser


def _read(name: str) -> bytes:
    try:
        return sys.stdin.buffer.read() if name == "-" else Path(name).read_bytes()
    except OSError as error:
        raise BundleError(f"{name} cannot be read: {error.strerror}.") from None


def _assess(arguments: argparse.Namespace) -> int:
    from mavrik.exchange.findings_json import findings_of_bundle

    made = findings_of_bundle(read_bundle(_read(arguments.file)), CircuitRole(arguments.role))
    print(made.model_dump_json(indent=2))
    return 0


def _solve(arguments: argparse.Namespace) -> int:
    from mavrik.core.operating import State
    from mavrik.exchange.operating_json import read_state, solve_bundle
    from mavrik.exchange.spice import write_netlist

    bundle, role = read_bundle(_read(arguments.file)), CircuitRole(arguments.role)
    state = read_state(_read(arguments.state)) if arguments.state else State()
    made = solve_bundle(bundle, state, role)
    if arguments.spice:
        version = bundle.latest(role)
        assert version is not None  # it was solved
        arguments.spice.write_text(write_netlist(version.document, state), encoding="utf-8")
    print(made.model_dump_json(indent=2))
    return 0


def _plan(arguments: argparse.Namespace) -> int:
    from mavrik.core.planning.sizing import MOST_TARGET_A
    from mavrik.exchange.plan_json import plan_bundle

    if arguments.target is not None and not 0 < arguments.target <= MOST_TARGET_A:
        raise ValueError(f"A target lies above 0 and up to {MOST_TARGET_A:g} A.")
    print(plan_bundle(read_bundle(_read(arguments.file)), arguments.target).model_dump_json(indent=2))
    return 0


def _isolate(arguments: argparse.Namespace) -> int:
    from mavrik.core.isolation.documents import IsolationPurpose
    from mavrik.exchange.isolation_json import isolate_bundle

    if arguments.purpose not in set(IsolationPurpose):
        raise ValueError(f"There is no purpose '{arguments.purpose}'. Purposes: {', '.join(IsolationPurpose)}.")
    purpose = IsolationPurpose(arguments.purpose)
    made = isolate_bundle(read_bundle(_read(arguments.file)), purpose, arguments.topology, arguments.every_row)
    print(made.model_dump_json(indent=2))
    return 0


def _build(arguments: argparse.Namespace) -> int:
    from mavrik.exchange.build_json import build_bundle, cut_list

    made = build_bundle(read_bundle(_read(arguments.file)))
    print(cut_list(made) if arguments.csv else made.model_dump_json(indent=2), end="" if arguments.csv else "\n")
    return 0


def _standin(arguments: argparse.Namespace) -> int:
    import threading

    import numpy as np

    from mavrik.standin.bench import start_bench
    from mavrik.standin.vehicle import VEHICLES, HiddenVehicle, hidden_faults

    if arguments.vehicle not in VEHICLES:
        raise ValueError(f"There is no vehicle '{arguments.vehicle}'. Vehicles: {', '.join(VEHICLES)}.")
    circuit = VEHICLES[arguments.vehicle]
    faults = {h.causes[0]: h for h in hidden_faults(circuit)}
    if arguments.fault not in faults:
        raise ValueError(f"There is no fault '{arguments.fault}' in it. Faults: {', '.join(sorted(faults))}.")
    try:
        servers = start_bench(HiddenVehicle(circuit, faults[arguments.fault], np.random.default_rng()), arguments.port)
    except OSError as error:
        raise ValueError(f"Port {arguments.port} or the next is taken: {error.strerror}.") from error
    for kind, server in servers.items():
        print(f"{kind} at {server.address}", flush=True)
    threading.Event().wait()
    return 0


def _sheet(arguments: argparse.Namespace) -> int:
    from mavrik.exchange.sheet import render_pdf, render_sheet

    page = render_sheet(read_bundle(_read(arguments.file)), os.environ.get("MAVRIK_WORKSHOP", ""), datetime.now(UTC))
    arguments.output.write_bytes(render_pdf(page))
    return 0


def _prepare(arguments: argparse.Namespace) -> int:
    from mavrik.domain.roles import Role
    from mavrik.jobs.demo import load_demo
    from mavrik.jobs.equipment import ensure_starting_set
    from mavrik.jobs.errors import InvalidError
    from mavrik.jobs.people import add_person, has_people
    from mavrik.jobs.tidying import tidy
    from mavrik.jobs.upgrading import complete_old_runs
    from mavrik.store.backup import is_behind, write_automatic_backup
    from mavrik.store.database import Database, ensure_database

    url = os.environ["MAVRIK_DATABASE_URL"]
    if os.environ.get("MAVRIK_ADMIN_URL"):
        ensure_database(os.environ["MAVRIK_ADMIN_URL"], url)
    if is_behind(url):
        # Whatever a migration does, what it began from can be put back.
        kept = write_automatic_backup(url, _backups(), "before-migration")
        print(f"mavrik: the database is of an older Mavrik; backed up to {kept}", file=sys.stderr)
    database = Database(url)
    database.migrate()
    with database.session() as session:
        complete_old_runs(session)
        tidy(session)
        if arguments.demo:
            load_demo(session, datetime.now(UTC).date())
        elif not has_people(session):
            login, name, password = _first_account(arguments)
            try:
                add_person(session, login, name, Role.LEAD, password)
            except InvalidError as error:
                print(f"mavrik: {error}", file=sys.stderr)
                return 2
        ensure_starting_set(session)
    database.dispose()
    return 0


def _tidy(arguments: argparse.Namespace) -> int:
    from mavrik.jobs.tidying import tidy
    from mavrik.store.database import Database

    database = Database(os.environ["MAVRIK_DATABASE_URL"])
    with database.session() as session:
        tidy(session)
    database.dispose()
    return 0


def _work(arguments: argparse.Namespace) -> int:
    from mavrik.jobs.tasks import work
    from mavrik.store.database import Database
    from mavrik.web.observe import log_to

    log_to()
    database = Database(os.environ["MAVRIK_DATABASE_URL"])
    work(database)
    database.dispose()
    return 0


def _backups() -> Path:
    return Path(os.environ.get("MAVRIK_BACKUPS", "var/backups"))


def _backup(arguments: argparse.Namespace) -> int:
    from mavrik.store.backup import write_backup

    made = write_backup(os.environ["MAVRIK_DATABASE_URL"], arguments.file)
    print(f"{arguments.file}: {made.rows.get('jobs', 0)} jobs, {made.rows.get('runs', 0)} runs, {made.size / 1e6:.1f} MB.")
    return 0


def _restore(arguments: argparse.Namespace) -> int:
    from mavrik.store.backup import is_there, read_manifest, restore_backup, write_automatic_backup

    url = os.environ["MAVRIK_DATABASE_URL"]
    read_manifest(arguments.file)  # before anything is touched
    if is_there(os.environ["MAVRIK_ADMIN_URL"], url):
        print(f"What was there is kept in {write_automatic_backup(url, _backups(), 'before-restore')}")
    made = restore_backup(os.environ["MAVRIK_ADMIN_URL"], url, arguments.file)
    print(f"Restored {made.rows.get('jobs', 0)} jobs and {made.rows.get('runs', 0)} runs of {made.made_at}.")
    return 0


def _first_account(arguments: argparse.Namespace) -> tuple[str, str, str]:
    """Login, name and password of the first account, from options and environment or asked at the terminal."""
    password = os.environ.get("MAVRIK_FIRST_PASSWORD", "")
    if arguments.first_login and password:
        return arguments.first_login, arguments.first_name or arguments.first_login, password
    if not sys.stdin.isatty():
        raise SystemExit(
            "mavrik: nobody has an account yet. Start it in a terminal, or give --first-login NAME with the password in MAVRIK_FIRST_PASSWORD."
        )
    print("Nobody has an account yet. The first one is a lead's.", file=sys.stderr)
    login = arguments.first_login or input("Login: ")
    name = arguments.first_name or input("Name: ")
    while True:
        password = getpass.getpass("Password (at least 10 characters): ")
        if password == getpass.getpass("Once more: "):
            return login, name, password
        print("They differ; again.", file=sys.stderr)


def _formats(arguments: argparse.Namespace) -> int:
    from mavrik.web.formats import write_formats

    stale = write_formats(arguments.folder, arguments.check)
    if arguments.check and stale:
        print(f"mavrik: out of date: {', '.join(stale)}. Write them with: ./mavrik formats docs/formats", file=sys.stderr)
        return 1
    return 0


def main(words: list[str] | None = None) -> int:
    """Run one command; returns its exit code."""
    arguments = _parser().parse_args(words)
    commands = {"assess": _assess, "solve": _solve, "plan": _plan, "isolate": _isolate, "build": _build, "sheet": _sheet}
    commands |= {
        "standin": _standin,
        "formats": _formats,
        "prepare": _prepare,
        "tidy": _tidy,
        "work": _work,
        "backup": _backup,
        "restore": _restore,
    }
    run = commands[arguments.command]
    try:
        return run(arguments)
    except ValueError as error:  # a BundleError is one
        print(f"mavrik: {error}", file=sys.stderr)
        return 2


if __name__ == "__main__":
    sys.exit(main())
