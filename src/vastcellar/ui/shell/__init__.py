"""What stands around every station: window, rail, need bar, sums drawer, job strip."""
