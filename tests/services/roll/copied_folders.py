"""What the tests of copies share: running one to its end, and what lies in a folder."""

from vastcellar.services.roll.copying import Papers, run_copy

MB = 2**20
COMMAND = "from vastcellar.cli.main import main; main()"


def made(run, papers=None):
    """Run a copy to its end; return what came of it. With *papers* lists lie beside it."""
    for _ in run_copy(run, papers=papers):
        pass
    return run.outcome


def listed(run):
    """Run a copy to its end; return what came of it, and the lists and records beside it."""
    papers = Papers()
    outcome = made(run, papers)
    assert not papers.troubles
    return outcome, papers.lists


def tree(folder):
    """Return every file below *folder* with its content, and every folder."""
    return {
        str(path.relative_to(folder)): path.read_bytes() if path.is_file() else None
        for path in sorted(folder.rglob("*"))
    }


def states(outcome, number=0):
    """Return the states of all files on one destination."""
    return {each.on[number].state for each in outcome.files}
