"""Mesh, elements, assembly, solver, results: linear statics of space frames on arrays."""

from .results.results import CaseEquilibrium, Results
from .run import AnalysisError, run

__all__ = ["AnalysisError", "CaseEquilibrium", "Results", "run"]
