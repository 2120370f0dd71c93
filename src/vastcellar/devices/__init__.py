"""What this computer has: file systems, block devices, links as negotiated, temperatures.

Read from the system's own trees under a given root, so that a made-up tree can stand in.
"""
