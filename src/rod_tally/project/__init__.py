"""The project file: revisions, runs, decisions. Nothing in it is ever overwritten by a later run."""

from .store import Project, ProjectError

__all__ = ["Project", "ProjectError"]
