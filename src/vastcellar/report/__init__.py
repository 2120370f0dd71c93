"""What is printed or sent: PDF sheets and CSV, made from the same plans as the screen."""
