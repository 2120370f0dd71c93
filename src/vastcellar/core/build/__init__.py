"""Building a unit: what fits, how its heat gets out, what it costs, which steps it takes."""
