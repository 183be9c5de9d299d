"""What forces of members do to their sections."""
