"""Lists as files: whatever switches call things, a file can be read and runs nothing."""

import csv
import io
import xml.etree.ElementTree as ET
import zipfile

from pydantic import BaseModel

from kiteroll.api.exports.rows import Rows
from kiteroll.api.exports.writers import write


class Row(BaseModel):
    label: str
    number: int


ODD = [
    "=cmd|' /C calc'!A0",
    "@SUM(A1:A9)",
    "+1",
    "-1+1",
    "\ttab",
    "a\ufffe\uffff\x00\x0bb",
    '"quoted", <tag> & more',
]
ROWS = [Row(label=label, number=-5) for label in ODD]


def test_csv_holds_no_formula_and_numbers_stay_numbers() -> None:
    text = b"".join(write("csv", "ports", Rows(Row, ROWS))).decode()
    rows = list(csv.DictReader(io.StringIO(text)))
    assert [row["label"] for row in rows[:5]] == [f"'{label}" for label in ODD[:5]]
    assert rows[6]["label"] == ODD[6] and {row["number"] for row in rows} == {"-5"}


def test_xml_and_xlsx_drop_what_they_cannot_hold() -> None:
    labels = [
        one.findtext("label") for one in ET.fromstring(b"".join(write("xml", "ports", Rows(Row, ROWS))))
    ]
    assert labels[5] == "ab" and labels[0] == ODD[0]
    sheet = b"".join(write("xlsx", "ports", Rows(Row, ROWS)))
    with zipfile.ZipFile(io.BytesIO(sheet)) as parts:
        content = parts.read("xl/worksheets/sheet1.xml")
    ET.fromstring(content)
    assert b"<f>" not in content
