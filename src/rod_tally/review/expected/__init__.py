"""Values expected by simple formulas, beside those of the run."""
