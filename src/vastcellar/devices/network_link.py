"""What the network port settled on, where it is clear through which one a share comes."""

from __future__ import annotations

from vastcellar.devices.system import System, read_text, whole_number

_NET = "sys/class/net"


def read_network_rate(system: System) -> float:
    """Return the rate of the one network port that is up, in bits per second.

    0 where none is up, where several are (which one a share comes through is the routing's
    matter), and for radio, whose rate changes with every packet.
    """
    try:
        ports = sorted(system.path(_NET).iterdir())
    except OSError:
        return 0.0
    up = [
        port
        for port in ports
        if port.name != "lo"
        and (port / "device").exists()
        and read_text(port / "operstate") == "up"
    ]
    if len(up) != 1 or (up[0] / "wireless").exists():
        return 0.0
    return whole_number(read_text(up[0] / "speed")) * 1e6
