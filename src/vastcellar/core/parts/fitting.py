"""Whether a bare drive goes into a case: protocol, length, notch, room under it, width, height.

The one place for it: Match lists what goes in, Build says by how much.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum

from vastcellar.core.evidence import Verdict
from vastcellar.core.parts.dimensions import M2_WIDTH_MM, m2_length_mm
from vastcellar.core.parts.parts import Drive, Enclosure
from vastcellar.core.said import Said, said

TIGHT_MM = 0.2
"""Less room than that is within what boards and cases differ by (typical)."""
_FINE_MM = 1e-9


class FitKind(StrEnum):
    """What is held against each other."""

    PROTOCOL = "protocol"
    LENGTH = "length"
    KEY = "key"
    UNDER = "under"
    BODY = "body"
    WIDTH = "width"
    LANES = "lanes"
    GAP = "gap"
    PRESSED = "pressed"
    POWER = "power"
    LINK = "link"
    WEIGHT = "weight"
    SPLASH = "splash"
    PAIR = "pair"
    PLUG = "plug"
    SLOT = "slot"
    SHARED = "shared"
    MIRROR = "mirror"
    NETWORK = "network"
    SEALED = "sealed"


@dataclass(frozen=True, slots=True)
class Fit:
    """One thing that was held against another: does it fit, by how much, and why."""

    kind: FitKind
    verdict: Verdict
    said: Said
    room_mm: float | None = None
    """What is left, below 0 what is missing; None where it isn't a matter of length."""
    mend: Said | None = None
    """What would make it fit, None where nothing is known to."""


def goes_in(drive: Drive, enclosure: Enclosure) -> tuple[Fit, ...]:
    """Return what is known of bare *drive* in *enclosure*; of what isn't known it says so.

    Whatever falls short in it keeps the drive out, or dead inside.
    """
    is_module = m2_length_mm(drive.form) is not None
    found: list[Fit | None] = [_protocol(drive, enclosure), _length(drive, enclosure)]
    if is_module:
        found += [_key(drive, enclosure), _under(drive, enclosure), _width(enclosure)]
    else:
        found.append(_body(drive, enclosure))
    return tuple(each for each in found if each is not None)


def protocol_name(protocol: str) -> str:
    """Return what a slot speaks as the field writes it."""
    return {"nvme": "NVMe", "sata": "SATA"}.get(protocol, protocol)


def _protocol(drive: Drive, enclosure: Enclosure) -> Fit:
    speaks = protocol_name(drive.slot_protocol)
    takes = " or ".join(protocol_name(each) for each in enclosure.slot_protocols)
    if drive.slot_protocol in enclosure.slot_protocols:
        return Fit(FitKind.PROTOCOL, Verdict.HOLDS, said("speaks it", protocol=speaks))
    return Fit(
        FitKind.PROTOCOL,
        Verdict.FALLS_SHORT,
        said("dead inside", protocol=speaks, takes=takes),
        mend=said("other case for protocol", protocol=speaks),
    )


def _length(drive: Drive, enclosure: Enclosure) -> Fit:
    inside, length = enclosure.inside, m2_length_mm(drive.form)
    if length is not None and inside is not None and inside.posts_mm:
        posts = " / ".join(f"{post:g}" for post in inside.posts_mm)
        room = max(inside.posts_mm) - length
        if length in inside.posts_mm:
            return Fit(FitKind.LENGTH, Verdict.HOLDS, said("post", length_mm=length), room)
        return Fit(
            FitKind.LENGTH,
            Verdict.FALLS_SHORT,
            said("no post", length_mm=length, posts=posts),
            room,
            said("other length", posts=posts),
        )
    if not drive.form or not enclosure.forms:
        return Fit(FitKind.LENGTH, Verdict.NOT_KNOWN, said("form not known"))
    forms = "/".join(enclosure.forms)
    if drive.form in enclosure.forms:
        return Fit(FitKind.LENGTH, Verdict.HOLDS, said("form taken", form=drive.form))
    return Fit(
        FitKind.LENGTH, Verdict.FALLS_SHORT, said("other form", form=drive.form, forms=forms)
    )


def _key(drive: Drive, enclosure: Enclosure) -> Fit:
    key = drive.size.key if drive.size else ""
    slot = enclosure.inside.slot_key if enclosure.inside else ""
    if not key or not slot:
        return Fit(FitKind.KEY, Verdict.NOT_KNOWN, said("key not known"))
    if slot in key.split("+"):
        return Fit(FitKind.KEY, Verdict.HOLDS, said("key goes in", key=key, slot=slot))
    return Fit(FitKind.KEY, Verdict.FALLS_SHORT, said("key stops it", key=key, slot=slot))


def _under(drive: Drive, enclosure: Enclosure) -> Fit:
    bottom = drive.size.bottom_mm if drive.size else None
    under = enclosure.inside.under_mm if enclosure.inside else None
    if bottom is None or under is None:
        # Where nobody measured, both may have said something of it.
        if drive.is_double_sided and not enclosure.takes_double_sided:
            return Fit(FitKind.UNDER, Verdict.FALLS_SHORT, said("one side only"))
        if bottom == 0:
            return Fit(FitKind.UNDER, Verdict.HOLDS, said("nothing under it"))
        return Fit(FitKind.UNDER, Verdict.NOT_KNOWN, said("under not known"))
    room = under - bottom
    told = said(
        "chips under too high"
        if room < -_FINE_MM
        else ("chips under tight" if room < TIGHT_MM - _FINE_MM else "chips under free"),
        chips_mm=bottom,
        under_mm=under,
        room_mm=abs(room),
    )
    if room < -_FINE_MM:
        mend = said("single-sided module")
        return Fit(FitKind.UNDER, Verdict.FALLS_SHORT, told, room, mend)
    if bottom > 0 and room < TIGHT_MM - _FINE_MM:
        return Fit(FitKind.UNDER, Verdict.TIGHT, told, room)
    if bottom == 0:
        told = said("nothing under it")
    return Fit(FitKind.UNDER, Verdict.HOLDS, told, room)


def _width(enclosure: Enclosure) -> Fit | None:
    width = enclosure.inside.width_mm if enclosure.inside else None
    if width is None:
        return None  # only small shells are narrower than a module
    room = width - M2_WIDTH_MM
    is_wider = room < -_FINE_MM
    told = said(
        "wider than the shell" if is_wider else "width goes in",
        module_mm=M2_WIDTH_MM,
        width_mm=width,
    )
    return Fit(FitKind.WIDTH, Verdict.FALLS_SHORT if is_wider else Verdict.HOLDS, told, room)


def _body(drive: Drive, enclosure: Enclosure) -> Fit:
    body = drive.size.body_mm if drive.size else None
    bay = enclosure.inside.body_mm if enclosure.inside else None
    if body is None or bay is None:
        return Fit(FitKind.BODY, Verdict.NOT_KNOWN, said("body not known"))
    room = bay - body
    is_higher = room < -_FINE_MM
    told = said(
        "body too high"
        if is_higher
        else ("body needs a spacer" if room > TIGHT_MM else "body goes in"),
        body_mm=body,
        bay_mm=bay,
    )
    return Fit(FitKind.BODY, Verdict.FALLS_SHORT if is_higher else Verdict.HOLDS, told, room)


def case_misfit(drive: Drive, enclosure: Enclosure) -> str:
    """Say why *drive* does not go into *enclosure*, or return ""."""
    if not drive.needs_enclosure:
        return f"{drive.name} is closed and goes into no enclosure"
    misfits = (fit for fit in goes_in(drive, enclosure) if fit.verdict is Verdict.FALLS_SHORT)
    first = next(misfits, None)
    return f"{drive.name} {_MISFITS[first.kind](drive, enclosure)}" if first else ""


_MISFITS: dict[FitKind, Callable[[Drive, Enclosure], str]] = {
    FitKind.PROTOCOL: lambda d, e: (
        f"speaks {protocol_name(d.slot_protocol)}, {e.name} takes "
        f"{' or '.join(protocol_name(each) for each in e.slot_protocols)} only"
    ),
    FitKind.LENGTH: lambda d, e: f"is a {d.form}, {e.name} takes {'/'.join(e.forms)}",
    FitKind.KEY: lambda d, e: f"has another notch than the slot of {e.name}",
    FitKind.UNDER: lambda d, e: f"has chips on both sides, {e.name} has room for one",
    FitKind.WIDTH: lambda d, e: f"is wider than {e.name}",
    FitKind.BODY: lambda d, e: f"is higher than the bay of {e.name}",
}
