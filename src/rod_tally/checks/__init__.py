"""Checks: one module a family, one function a check, found through a registry."""

from .registry import Subject, check, checks
from .run import Checked, checked, run_checks

__all__ = ["Checked", "Subject", "check", "checked", "checks", "run_checks"]
