"""Answers of the modellers at the findings they are about."""

from __future__ import annotations

import uuid
from collections.abc import Iterable
from dataclasses import dataclass

from ..intake.bcf_answers import Topic
from ..model import Finding

SPACE = uuid.UUID("5d8f1e0a-6b1c-4a6e-8f0b-2f6f0d6c7a11")
OURS = "Rod Tally"


@dataclass(slots=True)
class Answer:
    """An answer to a finding (`key`), and the status that the topic has with them."""

    key: str
    status: str
    author: str
    when: str
    text: str


def topic_id(model_name: str, finding: Finding) -> str:
    """The id of a finding's topic: the same each time it is written."""
    return str(uuid.uuid5(SPACE, f"{model_name}/{finding.key}"))


def exact_topic_id(model_name: str, finding: Finding) -> str:
    """The same where several findings share a key: by words and place too."""
    return str(uuid.uuid5(SPACE, f"{model_name}/{finding.key}/{finding.message}/{finding.at}"))


def answers_of(
    topics: Iterable[Topic], findings: Iterable[Finding], model_name: str, ours: Iterable[str] = ()
) -> tuple[list[Answer], list[Topic]]:
    """Return what topics say to findings, and the topics that are about none of them. A topic is a
    finding's by its id, else by its code and words. Comments that are ours (`ours`: decisions' own words)
    are no answers."""
    by_id: dict[str, Finding] = {}
    by_words: dict[tuple[str, str], Finding] = {}
    for f in findings:
        by_id.setdefault(topic_id(model_name, f), f)
        by_id.setdefault(exact_topic_id(model_name, f), f)
        by_words.setdefault((f.code, f.message), f)
    own = set(ours)
    out: list[Answer] = []
    strange: list[Topic] = []
    for topic in topics:
        finding = by_id.get(topic.guid.lower()) or next(
            (
                by_words[label, topic.description]
                for label in topic.labels
                if (label, topic.description) in by_words
            ),
            None,
        )
        if finding is None:
            strange.append(topic)
            continue
        wrote = [c for c in topic.comments if c.author != OURS and c.text not in own]
        out += [Answer(finding.key, topic.status, c.author, c.when, c.text) for c in wrote]
        if not wrote and topic.status.lower() not in ("", "open", "accepted", "corrected"):
            out.append(Answer(finding.key, topic.status, "", "", ""))
    return out, strange
