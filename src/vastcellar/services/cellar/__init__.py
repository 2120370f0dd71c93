"""The Cellar: what is known of every unit, what is found, and which goes on which job."""
