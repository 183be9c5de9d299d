"""Corrections of the reviewed revision, made again on its successor."""
