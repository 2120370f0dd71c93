"""Plan this shoot: media, bytes and copies day by day, and what the plan gets wrong."""

from __future__ import annotations

from dataclasses import dataclass

from vastcellar.core.needs import Need
from vastcellar.core.parts import Catalog
from vastcellar.core.shoot import Copy, Shoot
from vastcellar.core.shoot_plan import ShootPlan, plan_shoot
from vastcellar.core.shoot_warnings import ShootWarning, shoot_warnings
from vastcellar.services.workplace import Shelf


@dataclass(frozen=True)
class PlannedShoot:
    """A plan with what is known of the room for its copies."""

    shoot: Shoot
    plan: ShootPlan
    free_bytes: dict[str, float]
    """Room on the units of each copy that has units, by the copy's name."""
    warnings: tuple[ShootWarning, ...]

    def warnings_of(self, camera_key: str) -> tuple[ShootWarning, ...]:
        """Return the warnings of one camera."""
        return tuple(each for each in self.warnings if each.camera_key == camera_key)

    def need(self, camera_key: str) -> Need | None:
        """Return the need of the camera called *camera_key*, or None."""
        return next((c.need for c in self.plan.cameras if c.camera.key == camera_key), None)


def planned(shoot: Shoot, catalog: Catalog, shelf: Shelf) -> PlannedShoot:
    """Return the plan of *shoot*, its copies held against the units on the shelf."""
    plan = plan_shoot(shoot)
    free = {
        copy.name: room
        for copy in shoot.copies
        if (room := free_on_units(copy, catalog, shelf)) is not None
    }
    return PlannedShoot(shoot, plan, free, shoot_warnings(shoot, plan, free))


def free_on_units(copy: Copy, catalog: Catalog, shelf: Shelf) -> float | None:
    """Return the free bytes on the units of *copy*; None where none of them is known."""
    free = 0.0
    is_known = False
    for tag in copy.unit_tags:
        unit = shelf.unit(tag)
        drive = catalog.drives.get(unit.drive_key) if unit else None
        if unit is not None and drive is not None:
            is_known = True
            free += max(drive.capacity_bytes - unit.used_bytes, 0.0)
    return free if is_known else None
