"""The small typed classes of the model."""
