"""Rule sets and the combinations they make of load cases."""
