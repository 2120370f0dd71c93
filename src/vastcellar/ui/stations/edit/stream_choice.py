"""Which stream is played, as a choice: as a camera records it, its proxy, or a rate of its own."""

from __future__ import annotations

from vastcellar.core.shoot.edit_plan import StreamSetup
from vastcellar.core.shoot.shoot import Shoot

OWN = "own"
_PROXY, _CAMERA = "proxy:", "camera:"


def stream_offers(shoot: Shoot) -> list[tuple[str, str]]:
    """Return what the cameras of *shoot* record, and their proxies, as keys and words."""
    offers = []
    for camera in shoot.cameras:
        offers.append((f"{_CAMERA}{camera.key}", f"{camera.key} as recorded"))
        if camera.second is not None:
            offers.append((f"{_PROXY}{camera.key}", f"proxy of {camera.key}"))
    return offers


def stream_key(stream: StreamSetup) -> str:
    """Return the key that *stream* is offered by; OWN for one of a rate of its own."""
    if not stream.camera_key:
        return OWN
    return f"{_PROXY if stream.is_proxy else _CAMERA}{stream.camera_key}"


def stream_by_key(key: str) -> StreamSetup:
    """Return the stream of a camera that is offered by *key*."""
    kind, _, camera = key.partition(":")
    return StreamSetup("", camera, is_proxy=kind == _PROXY.rstrip(":"))
