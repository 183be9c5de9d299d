"""The session that the window works on: files, jobs, undo, the state that widgets listen to."""
