"""What will be recorded: formats, cameras, takes and days, and the need that follows."""
