"""What a setup is made of: drives, enclosures, hosts, file systems; and which device one is."""
