"""Printing a job's sheet."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy.orm import Session

from mavrik.exchange.sheet import render_pdf, render_sheet
from mavrik.jobs.captures import carried
from mavrik.jobs.carrying import bundle_of
from mavrik.jobs.errors import InvalidError
from mavrik.jobs.work import open_job


def sheet_html(session: Session, job_id: int, workshop: str, printed_at: datetime, nonce: str = "", asset_root: str = "") -> str:
    """The sheet as a page; raises InvalidError while there is nothing to print."""
    try:
        return render_sheet(
            bundle_of(open_job(session, job_id), carried(session, job_id)), workshop, printed_at, nonce, asset_root
        )
    except ValueError as error:
        raise InvalidError(str(error)) from error


def sheet_pdf(session: Session, job_id: int, workshop: str, printed_at: datetime) -> tuple[str, bytes]:
    """The sheet as a PDF file: its name and bytes."""
    number = open_job(session, job_id).number
    return f"{number}-sheet.pdf", render_pdf(sheet_html(session, job_id, workshop, printed_at))
