"""The sums behind a need, a take and a whole shoot."""

from __future__ import annotations

from vastcellar.core.evidence import Evidence
from vastcellar.core.shoot.formats import (
    AUDIO_BITS,
    AUDIO_SAMPLE_RATE_HZ,
    RateRule,
    RecordingFormat,
    audio_bytes_per_s,
    video_bytes_per_s,
)
from vastcellar.core.shoot.guarantees import guarantee_margins
from vastcellar.core.shoot.measured_rate import MeasuredRate
from vastcellar.core.shoot.needs import Need
from vastcellar.core.shoot.shoot import Camera
from vastcellar.core.shoot.shoot_plan import SPARE_MEDIA, CameraPlan
from vastcellar.core.units import NumberFormat
from vastcellar.services.shoot.planning import PlannedShoot
from vastcellar.services.sums.sum_lines import Sum, SumLine


def picture_reckoning(recording: RecordingFormat, fmt: NumberFormat) -> str:
    """Return how the picture's rate follows, as one line."""
    picture = f"{recording.width_px} × {recording.height_px}"
    frames = fmt.frame_rate(recording.frames_per_s)
    rule = recording.codec.rule
    if rule is RateRule.RATIO:
        samples = recording.samples_a_pixel
        sampled = "" if samples == 1 else f" × {fmt.number(samples)}"
        return (
            f"{picture}{sampled} × {recording.bit_depth} bit × {frames} ÷ "
            f"{fmt.number(recording.ratio)} ÷ 8"
        )
    if rule is RateRule.BITS_PER_PIXEL:
        bits = recording.codec.quality(recording.quality).bits_per_pixel
        return f"{picture} × {fmt.number(bits, 3)} bit × {frames} ÷ 8"
    return f"{fmt.bit_rate(video_bytes_per_s(recording))} from the menu ÷ 8"


def need_sum(need: Need, camera: Camera, fmt: NumberFormat) -> Sum:
    """Return how the need follows from the format, or from the clips that were measured."""
    recording = camera.recording
    if need.measured is not None:
        lines = _measured_lines(need.measured, fmt)
        source = f"{need.measured.clips} clips, {fmt.duration(need.measured.seconds)}"
    else:
        lines = _formula_lines(recording, fmt)
        source = recording.codec.source
    if camera.second is not None:
        where = "beside it" if camera.second.is_on_same_medium else "on a medium of its own"
        second = camera.second.recording
        rate = video_bytes_per_s(second) + audio_bytes_per_s(second.audio_channels)
        lines.append(SumLine(f"second stream {where}", second.name, fmt.rate(rate, 1)))
    if need.second_bytes_per_s:
        average = "picture + sound + second stream"
    else:
        average = "bytes ÷ time" if need.measured else "picture + sound"
    lines.append(SumLine("average", average, fmt.rate(need.average_bytes_per_s, 1)))
    if need.is_range:
        easy = "leanest clip" if need.measured else "an easy one"
        kind = "fullest clip" if need.measured else "a hard picture, typically"
        low = fmt.number(need.easy_bytes_per_s / 1e6, 1)
        lines.append(SumLine(kind, f"{easy}: {low}", fmt.rate(need.hard_bytes_per_s, 1)))
    worst = "measured" if need.measured else f"picture × {fmt.number(camera.crest)} + sound"
    lines += [
        SumLine("worst second", worst, fmt.rate(need.peak_bytes_per_s, 1)),
        SumLine(
            "need",
            f"worst second × (1 + {fmt.percent(camera.headroom)} headroom)",
            fmt.rate(need.needed_write_bytes_per_s, 1),
        ),
    ]
    if need.hard_needed_write_bytes_per_s > need.needed_write_bytes_per_s * 1.001:
        hard = fmt.rate(need.hard_needed_write_bytes_per_s, 1)
        lines.append(SumLine("all of it hard", "the need of a take of hard pictures", hard))
    return Sum("need", "Need", tuple(lines), source, need.evidence)


def _formula_lines(recording: RecordingFormat, fmt: NumberFormat) -> list[SumLine]:
    channels = recording.audio_channels
    exact = "picture" if recording.codec.is_exact else "picture, target"
    lines = [
        SumLine(exact, picture_reckoning(recording, fmt), fmt.rate(video_bytes_per_s(recording), 1))
    ]
    if channels:
        lines.append(
            SumLine(
                "sound",
                f"{channels} × {AUDIO_SAMPLE_RATE_HZ // 1000} kHz × {AUDIO_BITS} bit ÷ 8",
                fmt.rate(audio_bytes_per_s(channels), 1),
            )
        )
    if recording.container_overhead:
        share = fmt.percent(recording.container_overhead)
        lines.append(SumLine("container", f"all of it × (1 + {share})", ""))
    return lines


def _measured_lines(measured: MeasuredRate, fmt: NumberFormat) -> list[SumLine]:
    size = fmt.size(measured.average_bytes_per_s * measured.seconds)
    clips = "1 clip" if measured.clips == 1 else f"{measured.clips} clips"
    return [
        SumLine(clips, f"{size} in {fmt.duration(measured.seconds)}", ""),
        SumLine(
            "worst second of them",
            "bytes of the packets in any one second",
            fmt.rate(measured.worst_second_bytes_per_s, 1),
        ),
    ]


def take_sum(need: Need, camera: Camera, fmt: NumberFormat) -> Sum:
    """Return how much a take, an hour and a medium come to."""
    average = fmt.rate(need.average_bytes_per_s, 1)
    lines = [
        SumLine("an hour", f"{average} × 3{fmt.group}600 s", fmt.size(need.bytes_per_hour)),
        SumLine(
            "longest take",
            f"{average} × {fmt.duration(camera.longest_take_s)}",
            fmt.size(need.longest_take_bytes),
        ),
        SumLine(
            "of one medium",
            f"longest take ÷ {fmt.size(camera.medium_bytes)}",
            fmt.percent(need.longest_take_bytes / camera.medium_bytes),
        ),
        SumLine(
            "a medium lasts",
            f"{fmt.size(camera.medium_bytes)} ÷ {average}",
            fmt.duration(need.seconds_per_medium),
        ),
    ]
    slow = camera.recording.slow_factor
    if slow != 1:
        frames = camera.recording.project_frames_per_s
        assert frames is not None  # else it plays as it was recorded
        lines.append(
            SumLine(
                "longest take plays",
                f"at {fmt.frame_rate(frames)} fps, {fmt.number(slow)} × as long",
                fmt.duration(camera.longest_take_s * slow),
            )
        )
    source = "decimal units: 1 TB = 10¹² bytes = 931.3 GiB"
    return Sum("take", "Take and medium", tuple(lines), source, need.evidence)


def guarantee_sum(need: Need, camera: Camera, fmt: NumberFormat) -> Sum:
    """Return which card classes answer for the need by their guarantee alone."""
    margins = guarantee_margins(need.needed_write_bytes_per_s)
    covering = [each for each in margins if each.covers]
    below = [each for each in margins if not each.covers]
    lines = [
        SumLine(
            each.guarantee.name,
            f"{fmt.rate(each.guarantee.write_bytes_per_s, 0)} guaranteed"
            + (", in use" if each.guarantee.name == camera.medium_guarantee else ""),
            fmt.percent(each.margin, signed=True),
        )
        for each in (*below[-2:], *covering)
    ]
    if not covering:
        lines.append(SumLine("no class covers it", "only a proof can say that it holds", ""))
    source = "SD video speed classes; CompactFlash video performance guarantee"
    return Sum("guarantee", "Guaranteed classes", tuple(lines), source, Evidence.CLAIMED)


def day_sum(plan: CameraPlan, day: int, fmt: NumberFormat) -> Sum:
    """Return what a camera records on *day*, counted from 1, and the media that takes."""
    camera, need = plan.camera, plan.need
    hours = camera.hours_on(day)
    media = int(plan.media[day - 1])
    lines = (
        SumLine(
            f"day {day}",
            f"{fmt.duration(hours * 3600)} × {fmt.rate(need.average_bytes_per_s, 1)}",
            fmt.size(float(plan.recorded_bytes[day - 1])),
        ),
        SumLine(
            "takes",
            f"{camera.pattern.value}; one that no longer fits goes on a fresh medium",
            str(int(plan.takes[day - 1])),
        ),
        SumLine("media filled", f"of {fmt.size(camera.medium_bytes)}", str(media)),
        SumLine(
            "media to carry",
            f"the fullest day and {SPARE_MEDIA} spare",
            str(plan.media_to_carry),
        ),
        SumLine("whole shoot", "all days, all streams", fmt.size(float(plan.copied_bytes.sum()))),
    )
    return Sum("day", f"{camera.key} on day {day}", lines, "plan of the shoot", need.evidence)


def copies_sum(job: PlannedShoot, fmt: NumberFormat) -> Sum:
    """Return what the copies of the whole shoot come to."""
    plan, shoot = job.plan, job.shoot
    spread = f"{fmt.size(plan.easy_bytes)} to {fmt.size(plan.hard_bytes)} as pictures go"
    lines = [SumLine("all material", spread, fmt.size(plan.total_bytes))]
    for each in plan.copies:
        kept = (
            f"the last {each.copy.keep_days} days"
            if each.copy.keep_days
            else f"all {shoot.days} days"
        )
        reserve = f"{kept} × (1 + {fmt.percent(shoot.reserve)})"
        lines.append(SumLine(each.copy.name, reserve, fmt.size(each.needed_bytes)))
        if each.copy.name in job.free_bytes:
            free = job.free_bytes[each.copy.name]
            tags = ", ".join(each.copy.unit_tags)
            lines.append(SumLine("free for it", f"on {tags}", fmt.size(free)))
    return Sum("copies", "Copies", tuple(lines), "plan of the shoot", Evidence.COMPUTED)
