"""The memory of the shelf: what runs over months say of a unit, and which goes on which job."""
