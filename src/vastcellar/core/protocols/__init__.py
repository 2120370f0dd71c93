"""Series of tests: amounts, sets of runs, when they are steady, latencies."""
