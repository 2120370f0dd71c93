"""Why a drive slowed down, from a trace: levels and falls, what speaks against each cause."""
