"""Members of a source to members of the model: axes, sections, materials, supports, releases."""
