"""Tests on a place: planned, run on folders and simulated rigs, kept with their conditions."""
