"""Every figure opens its own sum: formula with values and units, source, evidence."""

from __future__ import annotations

from vastcellar.core.chain.chain import Chain
from vastcellar.core.chain.setup_parts import heat_path
from vastcellar.core.chain.stages import Stage
from vastcellar.core.evidence import Evidence
from vastcellar.core.shoot.shoot import Camera
from vastcellar.core.units import MB, NumberFormat
from vastcellar.core.verdict.judgement import Judgement
from vastcellar.core.writing.drive_in_use import (
    EventKind,
    balance_rate_bytes_per_s,
    fold_while_writing_bytes_per_s,
)
from vastcellar.core.writing.heat import largest_rate_without_throttle_bytes_per_s
from vastcellar.services.sums.need_sums import guarantee_sum, need_sum, take_sum
from vastcellar.services.sums.sum_lines import Sum, SumLine
from vastcellar.services.words.said_wording import said_words

__all__ = ["Sum", "SumLine", "sums_of"]


def sums_of(
    judgement: Judgement, camera: Camera, ambient_c: float, fmt: NumberFormat
) -> dict[str, Sum]:
    """Return every sum behind *judgement*, by key, in the order of the work."""
    need = judgement.need
    found = [
        need_sum(need, camera, fmt),
        take_sum(need, camera, fmt),
        guarantee_sum(need, camera, fmt),
    ]
    if judgement.chain is not None:
        found.append(link_sum(judgement.chain, fmt))
        if judgement.run is not None:
            found += _profile_sums(judgement, judgement.chain, ambient_c, fmt)
    if judgement.proof is not None:
        found.append(proof_sum(judgement, fmt))
    return {entry.key: entry for entry in found}


def link_sum(chain: Chain, fmt: NumberFormat) -> Sum:
    """Return what every stage carries, and the two leasts: at first, and what lasts."""
    mode = chain.mode
    lines = []
    if mode is not None:
        # What it carries in use stands with the stages: a bridge may have a figure of its own.
        lines.append(
            SumLine(
                mode.name,
                f"{fmt.number(mode.line_rate_bits_per_s / 1e9)} Gb/s × "
                f"{mode.efficiency.numerator}/{mode.efficiency.denominator} ÷ 8; in use "
                f"{fmt.number(mode.typical_low_bytes_per_s / MB)} to "
                f"{fmt.rate(mode.typical_high_bytes_per_s)}",
                fmt.rate(mode.ceiling_bytes_per_s),
            )
        )
    at_first = [stage for stage in chain.stages if not stage.is_lasting]
    lasting = [stage for stage in chain.stages if stage.is_lasting]
    lines += [_stage_line(stage, fmt) for stage in at_first]
    first = fmt.rate(chain.at_first_bytes_per_s)
    lines.append(SumLine("at first", chain.problem or "the least of them", first))
    lines += [_stage_line(stage, fmt) for stage in lasting]
    lasts = fmt.rate(chain.lasting_bytes_per_s)
    lines.append(SumLine("what lasts", chain.problem or "the least of them all", lasts))
    source = mode.source if mode else chain.negotiated.why
    return Sum("link", "Chain", tuple(lines), source, Evidence.COMPUTED)


def _stage_line(stage: Stage, fmt: NumberFormat) -> SumLine:
    return SumLine(
        stage.name.lower(), said_words(stage.why, fmt), fmt.rate(stage.typical_bytes_per_s)
    )


def _profile_sums(
    judgement: Judgement, chain: Chain, ambient_c: float, fmt: NumberFormat
) -> list[Sum]:
    found = [margin_sum(judgement, fmt)]
    behaviour = chain.parts.drive.writes
    if behaviour.has_cache:
        found.append(cache_sum(judgement, chain, fmt))
    if behaviour.throttle:
        found.append(heat_sum(judgement, chain, ambient_c, fmt))
    return found


def margin_sum(judgement: Judgement, fmt: NumberFormat) -> Sum:
    """Return how the margin follows from the lowest moment of the take."""
    need = judgement.need.needed_write_bytes_per_s
    lowest = judgement.lowest_ability_bytes_per_s
    if judgement.proof is not None:
        lowest = judgement.proof.slowest_second_ability_bytes_per_s
    lines = (
        SumLine("lowest of the take", judgement.bottleneck.value, fmt.rate(lowest)),
        SumLine("need", "never to be missed", fmt.rate(need)),
        SumLine(
            "margin",
            "lowest ÷ need − 1",
            fmt.percent(judgement.margin or 0.0, signed=True),
        ),
    )
    source = "under 10 % above the need counts as tight"
    return Sum("margin", "Margin", lines, source, judgement.evidence)


def cache_sum(judgement: Judgement, chain: Chain, fmt: NumberFormat) -> Sum:
    """Return how long the fast cache lasts at this camera's rate."""
    behaviour = chain.parts.drive.writes
    run = judgement.run
    assert run is not None  # asked for only with a profile
    cap = min(chain.link_cap_bytes_per_s, behaviour.cache_write_bytes_per_s)
    sent = min(judgement.need.average_bytes_per_s, cap)
    folded = fold_while_writing_bytes_per_s(behaviour, sent)
    net = sent - folded
    lines = [
        SumLine(
            "cache",
            f"{fmt.size(behaviour.cache_static_bytes)} + "
            f"{fmt.percent(behaviour.cache_share_of_free)} × {fmt.size(judgement.free_bytes)} free",
            fmt.size(run.cache_bytes),
        ),
        SumLine("sent", "the camera's average", fmt.rate(sent, 1)),
        SumLine(
            "folded",
            f"{fmt.number(behaviour.fold_while_writing)} × "
            f"{fmt.number(behaviour.fold_bytes_per_s / MB)} × (1 − {fmt.number(sent / MB, 0)} ÷ "
            f"{fmt.number(behaviour.cache_write_bytes_per_s / MB)})",
            fmt.rate(folded, 1),
        ),
    ]
    if net > 0:
        full_s = run.cache_bytes / net
        lines += [
            SumLine("net fill", "sent − folded", fmt.rate(net, 1)),
            SumLine("full after", "cache ÷ net fill", fmt.duration(full_s)),
            SumLine("written by then", "sent × that time", fmt.size(sent * full_s)),
        ]
    else:
        balance = balance_rate_bytes_per_s(behaviour)
        lines.append(SumLine("never full", "below the balance rate", fmt.rate(balance)))
    full = run.first(EventKind.CACHE_FULL)
    title = f"Cache full after {fmt.duration(full.at_s)}" if full else "Cache lasts the take"
    source = f"cache model with {chain.parts.basis}"
    return Sum("cache", title, tuple(lines), source, Evidence.COMPUTED)


def heat_sum(judgement: Judgement, chain: Chain, ambient_c: float, fmt: NumberFormat) -> Sum:
    """Return how warm it gets and what rate would never throttle."""
    run = judgement.run
    assert run is not None  # asked for only with a profile
    behaviour, case = chain.parts.drive.writes, chain.parts.case
    on_c = behaviour.throttle[0].on_c
    limit = largest_rate_without_throttle_bytes_per_s(
        heat_path(chain.parts, ambient_c), on_c, behaviour.idle_w, behaviour.direct_j_per_gb
    )
    resistance = case.drive_to_case_k_per_w + case.case_to_room_k_per_w
    lines = (
        SumLine("room", "", fmt.temperature(ambient_c)),
        SumLine("hottest in the take", "two nodes, drive and case", fmt.temperature(run.hottest_c)),
        SumLine("throttles at", "first stage", fmt.temperature(on_c)),
        SumLine(
            "never throttles below",
            f"({fmt.number(on_c - ambient_c)} K − bridge) ÷ {fmt.number(resistance)} K/W",
            fmt.rate(limit),
        ),
    )
    source = f"two-node heat model with {chain.parts.basis}"
    return Sum("heat", "Heat", lines, source, Evidence.COMPUTED)


def proof_sum(judgement: Judgement, fmt: NumberFormat) -> Sum:
    """Return what the recorder test measured."""
    proof = judgement.proof
    assert proof is not None  # asked for only with a proof
    day = proof.measured_at.astimezone()
    lines = (
        SumLine("paced at", fmt.duration(proof.duration_s), fmt.rate(proof.load_bytes_per_s, 1)),
        SumLine("achieved", "to the end of the flush", fmt.rate(proof.achieved_bytes_per_s, 1)),
        SumLine(
            "slowest second",
            "bytes ÷ time in writes",
            fmt.rate(proof.slowest_second_ability_bytes_per_s),
        ),
        SumLine("dropped", "frames", fmt.number(proof.frames_dropped, 0)),
        SumLine(
            "worst backlog",
            f"of {fmt.size(proof.buffer_bytes)}",
            fmt.size(proof.worst_backlog_bytes),
        ),
    )
    rig = "simulated rig" if proof.is_simulated else "real disk"
    source = f"run {proof.run_id} of {day.day} {day:%b %Y}, {rig}"
    return Sum("proof", "Recorder test", lines, source, Evidence.PROVED)
