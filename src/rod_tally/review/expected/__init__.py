"""What simple formulas let one expect of the answer, beside what the run gives."""
