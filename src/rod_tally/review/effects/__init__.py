"""What the result depends on: every guess and every mended finding with what it changes."""
