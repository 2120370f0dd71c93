"""Plan this shoot: media, bytes and copies day by day, and what the plan gets wrong."""

from __future__ import annotations

from dataclasses import dataclass

from vastcellar.core.parts.catalog import Catalog
from vastcellar.core.parts.units import Unit, free_bytes_on
from vastcellar.core.shoot.needs import Need
from vastcellar.core.shoot.shoot import Copy, Shoot, tags_in_use
from vastcellar.core.shoot.shoot_plan import ShootPlan, plan_shoot
from vastcellar.core.shoot.shoot_warnings import ShootWarning, shoot_warnings
from vastcellar.services.workplace.workplace import Shelf


@dataclass(frozen=True)
class PlannedShoot:
    """A plan with what is known of the room for its copies."""

    shoot: Shoot
    plan: ShootPlan
    free_bytes: dict[str, float]
    """Room on the units of each copy that has units, by the copy's name."""
    shelf_free_bytes: float
    """Room on the shelf's ready units that no camera and no copy has yet."""
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
    return PlannedShoot(
        shoot=shoot,
        plan=plan,
        free_bytes=free,
        shelf_free_bytes=_free_on_shelf(shoot, catalog, shelf),
        warnings=shoot_warnings(shoot, plan, free),
    )


def free_on_units(copy: Copy, catalog: Catalog, shelf: Shelf) -> float | None:
    """Return the free bytes on the units of *copy*; None where none of them is known."""
    units = [unit for tag in copy.unit_tags if (unit := shelf.unit(tag)) is not None]
    rooms = [room for unit in units if (room := _room(unit, catalog)) is not None]
    return sum(rooms) if rooms else None


def _room(unit: Unit, catalog: Catalog) -> float | None:
    drive = catalog.drives.get(unit.drive_key)
    return free_bytes_on(drive, unit) if drive else None


def _free_on_shelf(shoot: Shoot, catalog: Catalog, shelf: Shelf) -> float:
    taken = tags_in_use(shoot)
    free = (_room(unit, catalog) for unit in shelf.units if unit.is_ready and unit.tag not in taken)
    return sum(room for room in free if room is not None)
