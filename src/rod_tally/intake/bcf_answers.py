"""Answers of the modellers: topics of a BCF file (2.1 or 3.0) with their status and comments, read with
care."""

from __future__ import annotations

import warnings
import zipfile
from dataclasses import dataclass, field
from pathlib import Path, PurePosixPath
from typing import Any

from .readers import IntakeError
from .zipped import look_inside

DECLARED = (b"<!DOCTYPE", b"<!ENTITY")


@dataclass(slots=True)
class Comment:
    """`when` in ISO 8601 as the file has it, "" where it does not say."""

    author: str
    when: str
    text: str


@dataclass(slots=True)
class Topic:
    """One topic: what it is about, its status in the file's own words, and what was written to it."""

    guid: str
    title: str
    description: str
    status: str
    labels: list[str] = field(default_factory=list)
    comments: list[Comment] = field(default_factory=list)


def read_topics(path: Path) -> list[Topic]:
    """All topics of a BCF file. Raises IntakeError for one that is none, is damaged, or is made to do harm:
    paths that lead out of it, entities, or far more in it than its size can hold."""
    version = _look_inside(path)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            if version.startswith("3"):
                from bcf.v3.bcfxml import BcfXml as Reader
            else:
                from bcf.v2.bcfxml import BcfXml as Reader  # type: ignore[assignment]
            file: Any = Reader.load(path)
            topics = [] if file is None else [_topic(guid, t) for guid, t in file.topics.items()]
    except IntakeError:
        raise
    except Exception as error:  # the library raises what its parsers do
        raise IntakeError(f"{path}: its topics cannot be read: {type(error).__name__}: {error}") from error
    return topics


def _look_inside(path: Path) -> str:
    """The version, once nothing in the file speaks against unpacking it."""
    try:
        with zipfile.ZipFile(path) as z:
            entries = look_inside(z, path, "a BCF file")
            for e in entries:
                name = PurePosixPath(e.filename)
                if name.suffix.lower() in (".bcf", ".bcfv", ".bcfp", ".version", ".extensions", ".xml"):
                    head = z.read(e)
                    if any(d in head for d in DECLARED):
                        raise IntakeError(
                            f"{path}: {e.filename} declares entities, which BCF has none of; it is not read"
                        )
            names = {e.filename: e for e in entries}
            if "bcf.version" not in names:
                raise IntakeError(f"{path}: is not a BCF file (it holds no bcf.version)")
            text = z.read("bcf.version").decode("utf-8", "replace")
    except (OSError, zipfile.BadZipFile, RuntimeError, NotImplementedError, EOFError) as error:
        words = getattr(error, "strerror", None) or error
        raise IntakeError(f"{path}: is not a BCF file: {words}") from error
    _, _, rest = text.partition('VersionId="')
    version = rest.partition('"')[0]
    if version[:1] not in ("2", "3"):
        raise IntakeError(f"{path}: is BCF {version or 'of no version'}; 2.1 and 3.0 are read")
    return version


def _topic(guid: str, handler: Any) -> Topic:
    topic = handler.topic
    labels = getattr(topic, "labels", None) or []
    labels = getattr(labels, "label", labels)  # 3.0 has them one deeper
    own = handler.comments or []
    own = getattr(own, "comment", own)
    comments = [
        Comment(str(c.author or ""), str(c.date) if c.date is not None else "", str(c.comment or "").strip())
        for c in own
    ]
    return Topic(
        str(guid),
        str(topic.title or ""),
        str(topic.description or ""),
        str(topic.topic_status or ""),
        [str(v) for v in labels],
        [c for c in comments if c.text],
    )
