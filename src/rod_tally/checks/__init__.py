"""Checks: one module a family, one function a check, found through a registry."""

from .registry import Subject, check, checks
from .run import run_checks

__all__ = ["Subject", "check", "checks", "run_checks"]
