"""A unit's duty in words: since when, by which runs, or why not and what would mend it."""

from __future__ import annotations

from vastcellar.core.parts.acceptance import Acceptance


def acceptance_words(made: Acceptance) -> str:
    """Return the decision in a sentence, without its stop."""
    when = made.decided_on.isoformat()
    if made.is_in_service:
        runs = ", ".join(_run(each, made) for each in made.baseline_run_ids)
        return f"in service since {when} as {made.duty}, baseline: run {runs}"
    why = "; ".join(made.reasons) or "by decision, no test failed"
    mends = f"; to mend it: {'; '.join(made.mends)}" if made.mends else ""
    return f"refused {when} as {made.duty}: {why}{mends}"


def _run(run_id: int, made: Acceptance) -> str:
    # A rig's runs stand for a drive in a demo, and are told as what they are for ever.
    return f"{run_id} (simulated)" if run_id in made.simulated_run_ids else str(run_id)
