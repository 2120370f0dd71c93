"""What a user can ask for, one function each: the only door that window and terminal use."""
