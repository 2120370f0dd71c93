"""What a setup carries, stage by stage."""
