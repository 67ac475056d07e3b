"""Photos of a job through the API: taken in small and plain, shown to whoever may read, carried, refused."""

from __future__ import annotations

import io
import json
from base64 import urlsafe_b64encode
from collections.abc import Iterator
from hashlib import sha256
from typing import Any

import pytest
from PIL import Image, ImageFile
from sqlalchemy import text

from mavrik.domain.limits import MOST_PHOTO_BYTES, MOST_PHOTOS
from mavrik.exchange import photos as exchange
from mavrik.jobs.photos import drop_unused
from mavrik.store.database import Database
from tests.api.conftest import Caller
from tests.api.test_fits import answered
from tests.build import BLUE, RED, picture


def near(seen: Any, colour: tuple[int, int, int]) -> bool:
    return max(abs(a - b) for a, b in zip(seen, colour, strict=True)) < 25


@pytest.fixture
def database(database_url: str) -> Iterator[Database]:
    made = Database(database_url)
    yield made
    made.dispose()


@pytest.fixture
def path(job: dict[str, Any]) -> str:
    return f"/api/jobs/{job['id']}/photos"


def test_a_photo_is_kept_and_shown_to_whoever_may_read(tech: Caller, reader: Caller, path: str) -> None:
    made = answered(tech.post(path, raw=picture()), 201)
    assert (made["width"], made["height"]) == (400, 200)
    seen = reader.get(f"{path}/{made['key']}")
    assert seen.status_code == 200 and seen.mimetype == "image/jpeg" and len(seen.data) == made["bytes"]
    assert near(Image.open(io.BytesIO(seen.data)).getpixel((50, 100)), RED)
    assert answered(tech.post(path, raw=picture()), 201) == made
    assert reader.post(path, raw=picture()).status_code == 403
    assert reader.get(f"{path}/{'0' * 64}").status_code == 404 and reader.get(f"{path}/../{made['key']}").status_code == 404


def test_a_photo_of_one_job_is_not_another_s(tech: Caller, job: dict[str, Any], path: str) -> None:
    made = answered(tech.post(path, raw=picture()), 201)
    other = answered(tech.post("/api/jobs/import", json.loads(tech.get(f"/api/jobs/{job['id']}/bundle").text)), 201)
    assert tech.get(f"/api/jobs/{other['id']}/photos/{made['key']}").status_code == 200  # it went with the bundle
    blank = {k: other[k] for k in ("customer", "vehicle", "complaint")}
    third = answered(tech.post("/api/jobs", blank), 201)
    assert tech.get(f"/api/jobs/{third['id']}/photos/{made['key']}").status_code == 404


def test_place_and_camera_are_left_out_and_it_is_turned_upright(tech: Caller, path: str) -> None:
    exif = Image.Exif()
    exif[0x0112] = 6  # turned by a quarter
    exif[0x010F] = "Some camera"
    exif.get_ifd(0x8825)[2] = (52.0, 30.0, 0.0)
    made = answered(tech.post(path, raw=picture(exif=exif)), 201)
    seen = Image.open(io.BytesIO(tech.get(f"{path}/{made['key']}").data))
    assert seen.size == (200, 400) and not seen.getexif()
    assert near(seen.getpixel((100, 50)), RED) and near(seen.getpixel((100, 350)), BLUE)


@pytest.mark.long(but=1)
@pytest.mark.parametrize("format_", ["PNG", "WEBP"])
def test_other_formats_and_a_telephone_s_size_come_out_small(tech: Caller, path: str, format_: str) -> None:
    made = answered(tech.post(path, raw=picture(3000, 2000, format_, noise=90)), 201)
    assert made["bytes"] <= MOST_PHOTO_BYTES and max(made["width"], made["height"]) <= exchange.MOST_SIDE
    assert made["width"] / made["height"] == pytest.approx(1.5, abs=0.01)


@pytest.mark.parametrize("lenient", [False, True])
def test_what_is_no_photo_is_refused_and_nothing_kept(
    lenient: bool, monkeypatch: pytest.MonkeyPatch, tech: Caller, job: dict[str, Any], path: str, database: Database
) -> None:
    # As the library stands before the first sheet is printed, and after it.
    monkeypatch.setattr(ImageFile, "LOAD_TRUNCATED_IMAGES", lenient)
    bomb = io.BytesIO()
    Image.new("1", (20_000, 20_000)).save(bomb, "PNG")
    whole = picture()
    for data, says in (
        (b"", "no photo"),
        (b"<svg xmlns='http://www.w3.org/2000/svg' onload='alert(1)'/>", "no photo"),
        (whole[: len(whole) // 2], "damaged"),
        (bomb.getvalue(), "million pixels"),
        (b"GIF89a" + bytes(200), "no photo"),
    ):
        answer = tech.post(path, raw=data)
        assert answer.status_code == 422 and says in answer.json["detail"], (says, answer.text)  # type: ignore[index]
    assert tech.post(path, raw=bytes(exchange.LARGEST_PHOTO_BYTES + 1)).status_code == 413
    with database.session() as session:
        assert session.scalar(text("SELECT count(*) FROM photos WHERE job_id = :job"), {"job": job["id"]}) == 0


def test_a_job_has_so_many_photos_at_most(tech: Caller, path: str) -> None:
    for k in range(MOST_PHOTOS):
        answered(tech.post(path, raw=picture(20 + k, 20)), 201)
    assert tech.post(path, raw=picture(20, 90)).status_code == 422
    assert tech.post(path, raw=picture(20, 20)).status_code == 201  # it is there already


def with_exif(jpeg: bytes) -> bytes:
    """The very picture with a camera's name in it."""
    exif, out = Image.Exif(), io.BytesIO()
    exif[0x010F] = "Some camera"
    Image.open(io.BytesIO(jpeg)).save(out, "JPEG", quality="keep", exif=exif)
    return out.getvalue()


def with_comment(jpeg: bytes) -> bytes:
    """The very picture with a comment before it."""
    words = b"52.5 N"
    return jpeg[:2] + b"\xff\xfe" + (len(words) + 2).to_bytes(2, "big") + words + jpeg[2:]


def test_a_list_refers_to_photos_of_its_job_and_both_travel(tech: Caller, job: dict[str, Any], path: str) -> None:
    made = answered(tech.post(path, raw=picture()), 201)
    fit = f"/api/jobs/{job['id']}/fit"
    answer = tech.post(fit, {"items": [{"point": "ears", "state": "fits", "photo": "0" * 64}]})
    assert answer.status_code == 422 and answer.json["problems"][0]["field"] == "photo"  # type: ignore[index]
    kept = answered(tech.post(fit, {"items": [{"point": "ears", "state": "fits", "photo": made["key"]}]}), 201)
    assert next(r for r in kept["view"]["rows"] if r["name"] == "ears")["shown_by"] == "photo"
    bundle = json.loads(tech.get(f"/api/jobs/{job['id']}/bundle").text)
    assert [p["key"] for p in bundle["photos"]] == [made["key"]]
    answer = answered(tech.post("/api/jobs/import", bundle), 201)
    there = tech.get(f"/api/jobs/{answer['id']}/photos/{made['key']}")
    assert there.data == tech.get(f"{path}/{made['key']}").data
    # Another picture under its name, or one that is none, takes nothing in.
    other = exchange.develop(picture(50, 50))
    for key, jpeg in ((made["key"], other.jpeg), ("0" * 64, b"none")):
        carried = [{"key": key, "jpeg": urlsafe_b64encode(jpeg).decode()}]
        assert tech.post("/api/jobs/import", {**bundle, "photos": carried}).status_code == 422
    # Nor does one that tells where or with what it was taken, in whatever place of the file.
    for answer in (with_exif(other.jpeg), with_comment(other.jpeg), other.jpeg + b"<x:xmpmeta/>"):
        carried = [{"key": sha256(answer).hexdigest(), "jpeg": urlsafe_b64encode(answer).decode()}]
        refused = tech.post("/api/jobs/import", {**bundle, "documents": [], "photos": carried})
        assert refused.status_code == 422 and "says more than what it shows" in refused.text
    # It is on the sheet, and the sheet prints.
    page = tech.get(f"/api/jobs/{job['id']}/sheet").text
    assert "Does it fit" in page and "data:image/jpeg;base64," in page
    assert tech.get(f"/api/jobs/{job['id']}/sheet.pdf").data.startswith(b"%PDF")


def test_what_nothing_refers_to_goes_after_a_day(tech: Caller, job: dict[str, Any], path: str, database: Database) -> None:
    used, idle = (answered(tech.post(path, raw=picture(n, 100)), 201)["key"] for n in (100, 200))
    answered(tech.post(f"/api/jobs/{job['id']}/fit", {"items": [{"point": "ears", "photo": used}]}), 201)

    def there() -> list[bool]:
        return [tech.get(f"{path}/{key}").status_code == 200 for key in (used, idle)]

    with database.session() as session:
        drop_unused(session)
    assert there() == [True, True]
    with database.session() as session:
        older = text("UPDATE photos SET created_at = created_at - interval '25 hours' WHERE job_id = :job")
        session.execute(older, {"job": job["id"]})
        assert drop_unused(session) >= 1
    assert there() == [True, False]
