"""The sum under a figure adds up to it: the least printed line is the figure itself."""

from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from drawn_catalogs import catalogs, kept_setups, shelves
from vastcellar.core.chain.chain import build_chain
from vastcellar.core.chain.setup_parts import find_parts
from vastcellar.core.shoot.shoot import Setup
from vastcellar.core.units import PLAIN, parse_rate
from vastcellar.services.sums.setup_sums import link_sum
from vastcellar.store.catalog_files import load_catalog

SHIPPED = load_catalog()


def printed(line):
    """The figure of a line as a reader would take it down, in bytes per second."""
    return parse_rate(line.value.replace(" ", " ").replace(" ", " "))


@given(data=st.data())
@settings(max_examples=60, deadline=None)
def test_the_least_printed_line_is_what_it_takes(data):
    """Every stage stands in the sum; the least above "at first" is it, the least of all lasts."""
    catalog = data.draw(catalogs(SHIPPED))
    kept = data.draw(kept_setups(catalog))
    units = {unit.tag: unit for unit in data.draw(shelves(catalog))}
    drive = data.draw(st.sampled_from(list(catalog.drives.values())))
    unit = next((each for each in units.values() if each.drive_key == drive.key), None)
    host = data.draw(st.sampled_from(list(catalog.hosts.values())))
    port = data.draw(st.sampled_from(host.ports))
    setup = Setup(
        drive.key, host.key, port.key, unit.tag if unit else "",
        data.draw(st.sampled_from(list(catalog.enclosures))) if drive.needs_enclosure else "",
        "" if port.is_slot else data.draw(st.sampled_from(list(catalog.cables))),
        kept.hub_keys, kept.sharing, kept.file_system_key, kept.is_encrypted,
    )  # fmt: skip
    chain = build_chain(find_parts(setup, catalog, unit), catalog, 25.0)
    if chain.problem:
        return
    lines = list(link_sum(chain, PLAIN).lines)
    names = [line.label for line in lines]
    first, last = names.index("at first"), names.index("what lasts")
    reckoned = [line for line in lines if line.label not in ("at first", "what lasts")]
    assert len(reckoned) == 1 + len(chain.stages)  # the link's ceiling, and every stage
    assert printed(lines[first]) == min(printed(line) for line in lines[:first])
    assert printed(lines[last]) == min(printed(line) for line in reckoned)


def test_a_hard_disk_takes_what_it_writes_and_not_what_its_case_carries(catalog):
    """The medium is a stage like the others: a disk behind a 430 MB/s bridge takes its own rate."""
    disks = [d for d in catalog.drives.values() if d.kind.value == "hard_disk"]
    assert disks
    for disk in disks:
        case = catalog.enclosures_for(disk)[-1]
        setup = Setup(disk.key, "van-laptop", "bolt-1", "", case.key, "wr-10g")
        chain = build_chain(find_parts(setup, catalog, None), catalog, 24.0)
        assert chain.at_first_bytes_per_s <= disk.writes.direct_write_bytes_per_s
        assert chain.lasting_bytes_per_s == pytest.approx(
            disk.writes.direct_write_bytes_per_s * disk.writes.inner_share
        )
        coded = build_chain(
            find_parts(replace(setup, is_encrypted=True), catalog, None), catalog, 24.0
        )
        assert coded.at_first_bytes_per_s == pytest.approx(0.6 * chain.at_first_bytes_per_s)
        assert coded.reading_bytes_per_s == chain.reading_bytes_per_s
