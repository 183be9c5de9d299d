"""Answers of the modellers: written out, answered, read back at the finding they are about; harmful files are
refused."""

from __future__ import annotations

import warnings
import zipfile
from pathlib import Path

import pytest
from PyQt6.QtWidgets import QLabel
from pytestqt.qtbot import QtBot

from rod_tally.desk.window import Window
from rod_tally.intake import IntakeError
from rod_tally.intake.bcf_answers import read_topics
from rod_tally.model import LoadCase, Settings
from rod_tally.output.bcf import write_bcf
from rod_tally.project import Project
from rod_tally.review import Review, review
from rod_tally.review.answers import Answer, answers_of
from rod_tally.review.decisions import Decision

from .desk_help import rested
from .frames import regular


def faulty() -> Review:
    model = regular()
    model.name = "faulty"
    model.cases["Self-weight"] = LoadCase("Self-weight", "self-weight", self_weight=(0.0, 0.0, -1.0))
    model.cases["Empty"] = LoadCase("Empty")
    for node in list(model.nodes.values())[:1]:
        node.support = type(node.support)()
    done = review(model, Settings())
    assert len(done.findings) >= 2
    return done


def answered(path: Path, out: Path, says: dict[str, tuple[str, str]]) -> Path:
    """The file with a comment (author, text) on the topics with these labels, as another program writes
    it."""
    from bcf.v2.bcfxml import BcfXml
    from bcf.v2.model import Comment
    from xsdata.models.datatype import XmlDateTime

    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        file = BcfXml.load(path)
        assert file is not None
        for t in file.topics.values():
            for label in t.topic.labels:
                if label in says:
                    author, text = says[label]
                    t.topic.topic_status = "Closed"
                    t.comments = [
                        *t.comments,
                        Comment(
                            date=XmlDateTime.from_string("2026-05-04T08:30:00Z"),
                            author=author,
                            comment=text,
                            guid="0" * 8 + "-0000-4000-8000-" + "1" * 12,
                        ),
                    ]
        file.save(out)
    return out


def test_an_answer_comes_back_to_its_finding(tmp_path: Path) -> None:
    done = faulty()
    first, second = done.findings[:2]
    done.decisions = [
        Decision(second.code, second.ids, "accepted", "known", "A. Reviewer", "2026-05-01T00:00:00+00:00")
    ]
    sent = write_bcf(done, tmp_path / "sent.bcf")
    back = answered(
        sent, tmp_path / "back.bcf", {first.code: ("modeller@office", "Corrected in the next export")}
    )
    found, strange = answers_of(read_topics(back), done.findings, "faulty", ["accepted: known"])
    assert not strange
    assert [(a.key, a.status, a.author, a.text) for a in found if a.key == first.key] == [
        (first.key, "Closed", "modeller@office", "Corrected in the next export")
    ]
    assert not [a for a in found if a.key == second.key]  # our own decision is no answer
    assert found[0].when.startswith("2026-05-04")
    # a model of another name: by code and words
    found, strange = answers_of(read_topics(back), done.findings, "other", ["accepted: known"])
    assert first.key in {a.key for a in found} and not strange
    _, strange = answers_of(read_topics(back), [], "faulty")
    assert len(strange) == len(done.findings)


def test_answers_are_kept_once(tmp_path: Path) -> None:
    project = Project.create(tmp_path / "p.rodtally")
    ident = project.add_revision("Revision A", regular())
    one = Answer("join.gap:a", "Closed", "m", "2026-05-04T08:30:00Z", "done")
    assert project.add_answers(ident, [one]) == 1 and project.add_answers(ident, [one]) == 0
    project.close()
    again = Project.open(tmp_path / "p.rodtally")
    assert again.answers(ident) == [one]
    again.close()


def made(path: Path, *files: tuple[str, bytes]) -> Path:
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as z:
        for name, data in files:
            z.writestr(name, data)
    return path


VERSION = b'<?xml version="1.0"?><Version VersionId="2.1"><DetailedVersion>2.1</DetailedVersion></Version>'
BOMB = b'<?xml version="1.0"?><!DOCTYPE l [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;">]><Markup>&b;</Markup>'


@pytest.mark.parametrize(
    ("files", "words"),
    [
        ([("bcf.version", VERSION), ("../../evil.bcf", b"x")], "leads out of it"),
        ([("bcf.version", VERSION), ("/etc/evil.bcf", b"x")], "leads out of it"),
        ([("bcf.version", VERSION), ("a\\..\\..\\evil.bcf", b"x")], "leads out of it"),
        ([("bcf.version", VERSION), ("t/markup.bcf", BOMB)], "declares entities"),
        ([("bcf.version", VERSION), ("t/snapshot.png", b"\0" * 60_000_000)], "too much"),
        ([("other.txt", b"x")], "no bcf.version"),
        ([("bcf.version", VERSION.replace(b"2.1", b"9.0"))], "2.1 and 3.0 are read"),
        ([("bcf.version", VERSION), ("t/markup.bcf", b"<Markup><")], ""),
    ],
)
def test_what_is_made_to_harm_or_is_damaged_is_refused(
    tmp_path: Path, files: list[tuple[str, bytes]], words: str
) -> None:
    path = made(tmp_path / "x.bcf", *files)
    if words:
        with pytest.raises(IntakeError, match=words):
            read_topics(path)
    else:
        try:
            assert read_topics(path) == []
        except IntakeError as error:
            assert str(path) in str(error)
    assert [p.name for p in tmp_path.iterdir()] == ["x.bcf"]


def test_what_is_no_archive_is_said(tmp_path: Path) -> None:
    path = tmp_path / "x.bcf"
    path.write_text("not a zip")
    with pytest.raises(IntakeError, match="not a BCF file"):
        read_topics(path)
    with pytest.raises(IntakeError, match="not a BCF file"):
        read_topics(tmp_path / "missing.bcf")


def test_answers_in_the_window(loft: Window, qtbot: QtBot, tmp_path: Path) -> None:
    loft.session.exports.report(tmp_path / "sent.bcf")
    rested(qtbot, loft)
    answered(tmp_path / "sent.bcf", tmp_path / "back.bcf", {"join.gap": ("M. Odeller", "Moved in our model")})
    loft.session.read_answers(tmp_path / "back.bcf")
    rested(qtbot, loft)
    revision = loft.state.revision
    assert revision is not None
    finding = next(f for f in revision.review.findings if f.code == "join.gap")
    assert [a.text for a in revision.answers_to(finding)] == ["Moved in our model"]
    loft.state.pick_finding(finding)
    qtbot.wait(60)
    said = " ".join(w.text() for w in loft.details.content.findChildren(QLabel))
    assert "Answer: Moved in our model" in said and "M. Odeller" in said and "Closed" in said
    loft.tables.show_table("findings")
    page = loft.tables.front()
    assert page is not None and any("1 answer: Moved" in str(r[4]) for r in page.model.content.rows)
    assert revision.decision(finding) == "open"  # an answer is no decision
