"""Forms and pages that ask for values."""
