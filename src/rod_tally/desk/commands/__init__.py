"""Commands as data, and the forms that ask for what they need."""
