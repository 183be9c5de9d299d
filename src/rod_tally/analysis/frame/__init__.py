"""Members: elements, the mesh of their pieces, loads along them, their displaced shape."""
