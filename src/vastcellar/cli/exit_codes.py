"""How a command ended, for whoever calls it from a script."""

SENTENCE = 1
"""Something was wrong, and a sentence on standard error says what; nothing was measured."""
USAGE = 2
"""The words of the command don't go together."""
CANCELLED = 3
"""A test was cancelled: what it had measured was shown and kept, marked incomplete."""
ENDED_BY_DISK = 4
"""A test was ended by its disk: gone, full, read-only. The same holds."""
