"""What is plugged into this computer: seen, held against the shelf, said in words."""
