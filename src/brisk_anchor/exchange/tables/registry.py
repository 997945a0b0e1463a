"""The forms an offset table may have in a file. A new form is a module here and a line below."""

from __future__ import annotations

from brisk_anchor.core.quantities import Unit
from brisk_anchor.exchange.tables import block_form, csv_form, json_form, report_form
from brisk_anchor.exchange.tables.rows import TableForm, TableRow
from brisk_anchor.nc.profile.control_profile import Profile

TABLE_FORMS: tuple[TableForm, ...] = (report_form.FORM, json_form.FORM, csv_form.FORM, block_form.FORM)
"""In the order in which a file is asked whether it is of them; the last takes what no other knows."""


def form_of(suffix: str) -> TableForm | None:
    """The form that is written to files of a suffix, None where there is none."""
    return next((form for form in TABLE_FORMS if form.suffix == suffix.lower() and form.write is not None), None)


def read_table(data: bytes, name: str, profile: Profile, unit: Unit | None = None) -> list[TableRow]:
    """A table in any of the forms, told apart by what is in it; `unit` is that of a file that does not say its own.

    Raises:
        TableFileError, ReportError: it cannot be read.
    """
    form = next((form for form in TABLE_FORMS if form.recognise(data)), TABLE_FORMS[-1])
    return form.read(data, name, profile, unit)
