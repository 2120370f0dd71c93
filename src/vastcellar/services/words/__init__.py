"""All wording of findings: verdicts, reach, parts, plans."""
