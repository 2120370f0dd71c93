"""Link standards, where two ports negotiate, and what hubs share."""
