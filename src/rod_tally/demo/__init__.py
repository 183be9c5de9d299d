"""The demo: the Tern Quay sail loft, a made-up building in two revisions, and the project made of them."""
