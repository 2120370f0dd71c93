"""What a build costs in words: its bill, what is bought in its place, and from where it pays."""

from __future__ import annotations

import math
from collections.abc import Sequence

from vastcellar.core.units import NumberFormat
from vastcellar.services.build.billing import Instead
from vastcellar.services.build.building import Build
from vastcellar.services.build.tiers import Offer, Tier, Tiers

TIER_COLUMNS = ("", "way", "price", "a TB", "an MB/s that lasts", "a TB of endurance", "there")
WAYS = (("built", "built"), ("ready_made", "ready-made"), ("factory", "factory upgrade"))


def price_words(made: Build, fmt: NumberFormat, currency: str) -> str:
    """Say what is to be paid, and what it comes to for each TB."""
    bill = made.bill
    text = f"{fmt.number(bill.to_pay, 0)} {currency} to pay"
    if bill.all_new > bill.to_pay:
        text += f", {fmt.number(bill.all_new, 0)} all new"
    return f"{text}, {fmt.number(bill.worth.per_tb, 0)} a TB"


def bill_rows(made: Build, fmt: NumberFormat, currency: str) -> list[tuple[str, str, str]]:
    """Return the bill line by line: what, whence, what it costs now."""
    return [
        (
            line.name,
            f"from {line.reused_from}" if line.reused_from else "buy",
            "–" if line.reused_from else f"{fmt.number(line.price, 0)} {currency}",
        )
        for line in made.bill.lines
    ]


def bill_sentence(made: Build, instead: Sequence[Instead], fmt: NumberFormat, currency: str) -> str:
    """Return what it comes to, and what a closed drive as large would cost."""
    worth, parts = made.bill.worth, [price_words(made, fmt, currency)]
    if math.isfinite(worth.per_lasting_mb_per_s):
        parts.append(f"{fmt.number(worth.per_lasting_mb_per_s, 2)} for each MB/s that lasts")
    if math.isfinite(worth.per_endurance_tb):
        parts.append(f"{fmt.number(worth.per_endurance_tb, 2)} for each TB of endurance")
    if made.bill.to_pay > 0:
        parts.append(f"all there {delivery_words(made.bill.delivery_days, fmt)}")
    text = "; ".join(parts) + "."
    if instead:
        closed = instead[0].drive
        text += (
            f" Nothing to build: {closed.name}, {fmt.number(closed.price, 0)} {currency}, "
            f"{fmt.number(instead[0].price_per_tb, 0)} a TB."
        )
    return text


def delivery_words(days: float | None, fmt: NumberFormat) -> str:
    """Say when a thing is there."""
    if days is None:
        return "some day: how long one delivery takes isn't known"
    return f"after {fmt.number(days, 0)} {'day' if days == 1 else 'days'}" if days else "today"


def tiers_sentence(tiers: Tiers, fmt: NumberFormat, currency: str) -> str:
    """Say from which capacity on building pays; "" where nothing stands beside it."""
    if not tiers.rows:
        return ""
    if tiers.pays_from_bytes is None:
        return "Ready-made is as cheap or cheaper in the largest capacity that has both."
    text = f"Building pays from {fmt.size(tiers.pays_from_bytes)} on"
    if tiers.crossing is not None:
        capacity, price = tiers.crossing
        text += (
            f": the lines cross at {fmt.size(capacity)} and {fmt.number(price, 0)} {currency}, "
            "cables left out"
        )
    return f"{text}."


def tier_offers(row: Tier) -> list[tuple[str, Offer]]:
    """Return the ways that lead to a capacity, by name."""
    found = [(words, getattr(row, name)) for name, words in WAYS]
    return [(words, offer) for words, offer in found if offer is not None]


def tier_cells(capacity: float, way: str, offer: Offer, fmt: NumberFormat) -> tuple[str, ...]:
    """Return an offer as the cells of ``TIER_COLUMNS``; a dash for what isn't known."""
    worth = offer.worth

    def per(value: float, decimals: int) -> str:
        return fmt.number(value, decimals) if math.isfinite(value) else "–"

    days = delivery_words(offer.delivery_days, fmt) if offer.delivery_days is not None else "–"
    return (
        fmt.size(capacity), way, fmt.number(worth.price, 0), per(worth.per_tb, 0),
        per(worth.per_lasting_mb_per_s, 2), per(worth.per_endurance_tb, 2), days,
    )  # fmt: skip


def tier_table(tiers: Tiers, fmt: NumberFormat) -> list[tuple[str, ...]]:
    """Return every offer as a row under ``TIER_COLUMNS``."""
    return [
        tier_cells(row.capacity_bytes, way, offer, fmt)
        for row in tiers.rows
        for way, offer in tier_offers(row)
    ]
