"""What a drive does while it is written: cache, heat and throttle over a workload."""
