"""CSV tables by a mapping: cases in, readings or located problems out."""

from typing import Any

import pytest

from kiteroll.collect.csv_table import TableMapping, read_table
from kiteroll.core.errors import Invalid
from kiteroll.core.model.reading import Reading, key_of
from tests.support.factories import NOON

PLAIN = TableMapping(address="mac", port="port", vlan="vlan")


def read(text: str, mapping: TableMapping = PLAIN, known: dict[int, str] | None = None) -> Reading:
    return read_table("hut", NOON, text, mapping, known or {}, "hut.csv")


def placed(reading: Reading) -> dict[int, str]:
    names = reading.port_names()
    return {key: names[number] for key, number in reading.learned.items()}


@pytest.mark.parametrize(
    ("mapping", "text"),
    [
        (PLAIN, "mac,vlan,port\n02:1a:01:00:00:01,10,p7\n\n"),
        (
            TableMapping(address="A", port="P", vlan="V", delimiter=";"),
            "V;P;A;more\n10;p7;021a.0100.0001;x\n",
        ),
        (
            TableMapping(address="3", port="2", vlan="1", heading=False, skip=2, delimiter="\t"),
            "table of hut\n-----\n10\tp7\t02-1A-01-00-00-01\n",
        ),
        (
            TableMapping(address="mac", port="port", vlan="vlan", notation="decimal", port_name="p{port}"),
            "mac,vlan,port\n2.26.1.0.0.1,10,7\n",
        ),
        (
            TableMapping(address="mac", port="port", vlan="vlan", port_names={"1/7": "p7"}),
            "\ufeffmac,vlan,port\n021a01000001,10,1/7\n",
        ),
        (
            TableMapping(address="mac", port="port", vlan="vlan", status="how", learned=("Dynamic",)),
            "mac,vlan,port,how\n021a01000001,10,p7,DYNAMIC\n021a01000002,10,p7,fixed\n"
            "0180c2000000,10,p7,dynamic\n",
        ),
    ],
)
def test_one_table_in_many_shapes(mapping: TableMapping, text: str) -> None:
    reading = read(text, mapping)
    assert placed(reading) == {key_of(0x021A01000001, 10): "p7"}
    assert reading.complete


def test_rows_that_were_not_learned_are_kept_apart() -> None:
    mapping = TableMapping(address="mac", port="port", status="how", learned=("dynamic",))
    reading = read("mac,port,how\n021a01000001,p1,static\n", mapping)
    assert not reading.learned
    assert [entry.mac for entry in reading.others] == [0x021A01000001]


def test_ports_keep_their_numbers_and_those_without_addresses_stay() -> None:
    reading = read("mac,vlan,port\n021a01000001,,p9\n021a01000002,,p2\n", known={2: "p2", 5: "p5"})
    assert reading.port_names() == {2: "p2", 5: "p5", 6: "p9"}


@pytest.mark.parametrize(
    ("text", "reported"),
    [
        ("", "it is empty"),
        ("mac;vlan;port\n", "line 1: there is no column 'mac', 'port', 'vlan'"),
        ("mac,vlan,port\n02:1a:01:00:00,10,p1\n", "line 2, column mac: '02:1a:01:00:00' is not a MAC"),
        ("mac,vlan,port\n021a01000001,4095,p1\n", "line 2, column vlan: '4095' is no VLAN"),
        ("mac,vlan,port\n021a01000001,10,\n", "line 2, column port: it is empty"),
        (
            "mac,vlan,port\n021a01000001,10,p1\n021a01000001,10,p2\n",
            "line 3: 02:1a:01:00:00:01 stands in line 2 already, at p1",
        ),
        ('mac,vlan,port\n"021a01000001,10,p1\n', "it is no CSV"),
    ],
)
def test_problems_name_file_line_and_column(text: str, reported: str) -> None:
    with pytest.raises(Invalid) as wrong:
        read(text)
    assert "hut.csv" in str(wrong.value)
    assert reported in str(wrong.value)


def test_every_problem_is_reported_at_once_up_to_a_bound() -> None:
    with pytest.raises(Invalid) as wrong:
        read("mac,vlan,port\n" + "zz,9999,p1\n" * 500)
    lines = str(wrong.value).splitlines()
    assert len(lines) == 22
    assert lines[-1].strip() == "and perhaps more"


@pytest.mark.parametrize(
    "values",
    [
        {"delimiter": ",,"},
        {"notation": "octal"},
        {"port_name": "p"},
        {"status": "how"},
        {"heading": False},
    ],
)
def test_a_mapping_that_cannot_work_is_refused(values: dict[str, Any]) -> None:
    with pytest.raises(Invalid):
        TableMapping(**{"address": "mac", "port": "port", **values})
