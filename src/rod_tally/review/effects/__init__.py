"""Effects of guesses on the result: every guess and every mended finding with what it changes."""
