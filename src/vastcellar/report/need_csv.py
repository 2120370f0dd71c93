"""The need of a shoot as CSV: one row a camera, plain numbers in bytes and seconds."""

from __future__ import annotations

import csv
import io

from vastcellar.core.csv_cells import safe_row
from vastcellar.core.shoot.shoot_plan import CameraPlan
from vastcellar.services.shoot.planning import PlannedShoot

_COLUMNS = (
    "camera",
    "name",
    "model",
    "format",
    "evidence",
    "average_bytes_per_s",
    "easy_bytes_per_s",
    "hard_bytes_per_s",
    "peak_bytes_per_s",
    "needed_write_bytes_per_s",
    "bytes_per_hour",
    "medium_bytes",
    "seconds_per_medium",
    "longest_take_s",
    "longest_take_bytes",
    "media_to_carry",
    "bytes_in_all",
)


def need_csv(job: PlannedShoot) -> str:
    """Return the table as text; after the fixed columns come the bytes of each day."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    days = [f"day_{day}_bytes" for day in range(1, job.shoot.days + 1)]
    writer.writerow((*_COLUMNS, *days))
    for plan in job.plan.cameras:
        writer.writerow(safe_row(_row(plan)))
    return out.getvalue()


def _row(plan: CameraPlan) -> list[object]:
    camera, need = plan.camera, plan.need
    return [
        camera.key,
        camera.name,
        camera.model,
        camera.recording.name,
        need.evidence.value,
        *(
            round(value)
            for value in (
                need.average_bytes_per_s,
                need.easy_bytes_per_s,
                need.hard_bytes_per_s,
                need.peak_bytes_per_s,
                need.needed_write_bytes_per_s,
                need.bytes_per_hour,
                camera.medium_bytes,
                need.seconds_per_medium,
                camera.longest_take_s,
                need.longest_take_bytes,
                plan.media_to_carry,
                float(plan.copied_bytes.sum()),
            )
        ),
        *(round(float(value)) for value in plan.copied_bytes),
    ]
