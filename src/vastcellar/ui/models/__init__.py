"""State that the views show: the open shoot, the workbench, running jobs."""
