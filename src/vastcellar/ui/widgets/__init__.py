"""Drawing and input widgets that the stations share."""
