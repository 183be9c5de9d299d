"""The picture of the model and what stands around it."""
