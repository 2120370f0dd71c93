"""What the tests of copies share: running one to its end, and what lies in a folder."""

from vastcellar.services.roll.copying import run_copy

MB = 2**20
COMMAND = "from vastcellar.cli.main import main; main()"


def made(run):
    """Run a copy to its end; return what came of it."""
    for _ in run_copy(run):
        pass
    return run.outcome


def tree(folder):
    """Return every file below *folder* with its content, and every folder."""
    return {
        str(path.relative_to(folder)): path.read_bytes() if path.is_file() else None
        for path in sorted(folder.rglob("*"))
    }


def states(outcome, number=0):
    """Return the states of all files on one destination."""
    return {each.on[number].state for each in outcome.files}
