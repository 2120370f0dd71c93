"""Entry point."""


def main() -> None:
    """Start."""
