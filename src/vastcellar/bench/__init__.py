"""The measuring engine: targets, workloads and the runner. Needs the disk and the clock; no Qt."""
