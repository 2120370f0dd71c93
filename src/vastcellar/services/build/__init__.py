"""Build a unit: parts at hand or from a candidate, checked, judged, priced, and led through."""
