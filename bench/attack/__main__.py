"""`./mavrik attack`: all attacks, or one of them."""

from __future__ import annotations

import argparse
import json
import sys

from bench.attack.fuzzing import fuzz_test
from bench.attack.heaviest import heaviest_test
from bench.attack.killing import kill_test
from bench.attack.racing import race_test
from bench.attack.shop import shop


def main(words: list[str]) -> int:
    """Attack, and say how it went; 1 where something was lost, made twice, won by two, or not answered as it should be."""
    parser = argparse.ArgumentParser(prog="./mavrik attack", description=__doc__)
    parser.add_argument("what", nargs="?", choices=("kill", "race", "fuzz", "heaviest"), help="left out, one after the other")
    parser.add_argument("--kills", type=int, default=30)
    parser.add_argument("--writers", type=int, default=8)
    parser.add_argument("--pause", type=float, default=2.0, help="between a recovery and the next kill [s]")
    parser.add_argument("--writes", type=int, default=0, help="go on until so many were acknowledged")
    parser.add_argument("--rivals", type=int, default=30, help="so many want the same thing at once")
    parser.add_argument("--requests", type=int, default=20_000)
    parser.add_argument("--seed", type=int, default=1)
    given = parser.parse_args(words)
    worse = False
    if given.what in (None, "kill"):
        with shop() as (var, port):
            outcome = kill_test(var, port, given.kills, given.writers, given.pause, given.writes)
        print(json.dumps({"kill": outcome}, indent=2), flush=True)
        worse |= bool(outcome["lost"] or outcome["twice"] or outcome["tasks undone"])
    if given.what in (None, "race"):
        with shop() as (_, port):
            races = race_test(port, given.rivals)
        print(json.dumps({"race": races}, indent=2), flush=True)
        worse |= any(r["wrong"] for r in races.values())
    if given.what in (None, "fuzz"):
        fuzzed = fuzz_test(given.requests, given.seed)
        print(json.dumps({"fuzz": fuzzed}, indent=2), flush=True)
        worse |= bool(fuzzed["mistakes"])
    if given.what in (None, "heaviest"):
        heaviest = heaviest_test()
        print(json.dumps({"heaviest": heaviest}, indent=2), flush=True)
        worse |= bool(heaviest["mistakes"])
    return int(worse)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
