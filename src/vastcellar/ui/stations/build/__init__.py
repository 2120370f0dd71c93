"""The station Build: the stack, its checks and bill, and the bench card."""
