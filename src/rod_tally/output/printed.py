"""Pages made from HTML, written whole or not at all: as they are, or as PDF."""

from __future__ import annotations

import logging
import warnings
from pathlib import Path

from jinja2 import Environment, PackageLoader, StrictUndefined

from .write import OutputError, write_text, write_whole

FONTS = Path(__file__).parent.parent / "fonts"


def environment(package: str) -> Environment:
    """The templates of a package, strict about what they are given."""
    return Environment(
        loader=PackageLoader(package),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )


def write_page(text: str, path: Path) -> Path:
    """Write an HTML text, as PDF where the name ends so. Raises OutputError, also where the libraries that
    print are missing."""
    return write_pdf_page(text, path) if path.suffix.lower() == ".pdf" else write_html_page(text, path)


def write_html_page(text: str, path: Path) -> Path:
    """Write an HTML text as it is. Raises OutputError."""
    try:
        write_whole(path, lambda p: write_text(p, text))
    except OSError as error:
        raise OutputError(f"{path}: cannot be written to: {error.strerror or error}") from error
    return path


def write_pdf_page(text: str, path: Path) -> Path:
    """Write an HTML text as PDF; raises as `write_page`."""
    try:
        with warnings.catch_warnings():
            # without the library that makes fonts smaller the file is only larger
            warnings.simplefilter("ignore", DeprecationWarning)
            from weasyprint import HTML  # type: ignore[import-untyped]
            from weasyprint.urls import URLFetcher  # type: ignore[import-untyped]
    except OSError as error:
        raise OutputError(
            f"{path}: the library that prints needs Pango, which is not installed ({error})"
        ) from error
    for name in ("weasyprint", "fontTools"):
        logging.getLogger(name).setLevel(logging.ERROR)

    # the fonts that ship with the program lie in files; nothing else is asked for
    only_files = URLFetcher(allowed_protocols=("file",))

    def save(p: Path) -> None:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", DeprecationWarning)
            HTML(string=text, url_fetcher=only_files).write_pdf(str(p))

    try:
        write_whole(path, save)
    except OSError as error:
        raise OutputError(f"{path}: cannot be written to: {error.strerror or error}") from error
    return path
