"""The need: what a camera asks of whatever it records to, second by second and take by take."""

from __future__ import annotations

from dataclasses import dataclass

from vastcellar.core.evidence import Evidence
from vastcellar.core.shoot.formats import RecordingFormat, audio_bytes_per_s, video_bytes_per_s
from vastcellar.core.shoot.measured_rate import MeasuredRate
from vastcellar.core.shoot.shoot import Camera


@dataclass(frozen=True, slots=True)
class StreamRate:
    """What one stream makes, container included, in bytes per second.

    ``easy`` and ``hard`` are the averages of an easy and a hard picture.
    """

    average_bytes_per_s: float
    peak_bytes_per_s: float
    easy_bytes_per_s: float
    hard_bytes_per_s: float


@dataclass(frozen=True, slots=True)
class Need:
    """What one camera needs; every rate in bytes per second, of all that goes to one medium."""

    video_bytes_per_s: float
    audio_bytes_per_s: float
    second_bytes_per_s: float
    """Average of a second stream on the same medium, else 0."""
    average_bytes_per_s: float
    peak_bytes_per_s: float
    needed_write_bytes_per_s: float
    easy_bytes_per_s: float
    hard_bytes_per_s: float
    hard_needed_write_bytes_per_s: float
    """The need if the whole picture is a hard one."""
    elsewhere_bytes_per_s: float
    """Average of a second stream on a medium of its own, else 0."""
    bytes_per_hour: float
    seconds_per_medium: float
    longest_take_bytes: float
    bytes_per_frame: float
    bytes_per_day: float
    evidence: Evidence
    measured: MeasuredRate | None = None
    """The clips it rests on, where they answer for the format."""

    @property
    def is_range(self) -> bool:
        """Whether easy and hard pictures differ."""
        return self.hard_bytes_per_s > self.easy_bytes_per_s * (1 + 1e-9)

    @property
    def copied_bytes_per_s(self) -> float:
        """All that has to be copied: every stream, wherever it was recorded."""
        return self.average_bytes_per_s + self.elsewhere_bytes_per_s


def stream_rate(recording: RecordingFormat, crest: float) -> StreamRate:
    """Return the rates of *recording*: (picture x crest + sound) x (1 + container).

    The crest factor raises the picture only, since sound has a constant rate.
    """
    container = 1 + recording.container_overhead
    video = video_bytes_per_s(recording)
    audio = audio_bytes_per_s(recording.audio_channels)
    return StreamRate(
        average_bytes_per_s=(video + audio) * container,
        peak_bytes_per_s=(video * crest + audio) * container,
        easy_bytes_per_s=(video * recording.codec.easy_share + audio) * container,
        hard_bytes_per_s=(video * recording.codec.hard_share + audio) * container,
    )


def camera_need(camera: Camera) -> Need:
    """Return what *camera* needs: headroom over the worst second of all streams together.

    Clips of the same format outrank the formula: their average, their worst second, and the
    leanest and fullest of them in place of the typical range.
    """
    recording = camera.recording
    main = stream_rate(recording, camera.crest)
    measured = camera.measured
    if measured is not None and not measured.answers_for(recording):
        measured = None
    if measured is not None:
        main = StreamRate(
            measured.average_bytes_per_s,
            max(measured.worst_second_bytes_per_s, measured.average_bytes_per_s),
            measured.easiest_bytes_per_s,
            measured.hardest_bytes_per_s,
        )
    nothing = StreamRate(0.0, 0.0, 0.0, 0.0)
    beside = elsewhere = nothing
    if camera.second is not None:
        second = stream_rate(camera.second.recording, camera.second.crest)
        if camera.second.is_on_same_medium:
            beside = second
        else:
            elsewhere = second
    average = main.average_bytes_per_s + beside.average_bytes_per_s
    peak = main.peak_bytes_per_s + beside.peak_bytes_per_s
    harder = main.hard_bytes_per_s / main.average_bytes_per_s if measured is None else 1.0
    hard_peak = main.peak_bytes_per_s * harder + beside.peak_bytes_per_s
    return Need(
        video_bytes_per_s=video_bytes_per_s(recording),
        audio_bytes_per_s=audio_bytes_per_s(recording.audio_channels),
        second_bytes_per_s=beside.average_bytes_per_s,
        average_bytes_per_s=average,
        peak_bytes_per_s=peak,
        needed_write_bytes_per_s=peak * (1 + camera.headroom),
        easy_bytes_per_s=main.easy_bytes_per_s + beside.easy_bytes_per_s,
        hard_bytes_per_s=main.hard_bytes_per_s + beside.hard_bytes_per_s,
        hard_needed_write_bytes_per_s=max(hard_peak, peak) * (1 + camera.headroom),
        elsewhere_bytes_per_s=elsewhere.average_bytes_per_s,
        bytes_per_hour=average * 3600,
        seconds_per_medium=camera.medium_bytes / average,
        longest_take_bytes=average * camera.longest_take_s,
        bytes_per_frame=average / float(recording.frames_per_s),
        bytes_per_day=average * 3600 * camera.hours_a_day,
        evidence=Evidence.PROVED if measured is not None else Evidence.COMPUTED,
        measured=measured,
    )
