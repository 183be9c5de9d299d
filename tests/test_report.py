"""The report and the topics for modellers: each finding once, numbers as in the tables, nothing written over
or fetched."""

from __future__ import annotations

import csv
import re
import zipfile
from html.parser import HTMLParser
from pathlib import Path

import numpy as np
import pytest

from rod_tally.cli import main
from rod_tally.model import Settings
from rod_tally.model.settings import SettingsError
from rod_tally.output.bcf import write_bcf
from rod_tally.output.report import write_html, write_pdf
from rod_tally.output.report.chapters import chapters
from rod_tally.output.report.diagrams import diagram
from rod_tally.output.report.write import html
from rod_tally.output.write import write_review
from rod_tally.project.open import review_path
from rod_tally.project.store import Project
from rod_tally.review.review import Review
from rod_tally.review.work import review

from .conftest import DATA
from .frames import line_load, regular


@pytest.fixture(scope="module")
def done() -> Review:
    """The demo's second revision against its first."""
    return review_path(
        DATA / "tern-quay-b.ifc",
        Settings(),
        DATA / "tern-quay-a.ifc",
    )


class Tables(HTMLParser):
    """Chapters to rows of (text, SI number or None), as any reader of HTML finds them."""

    def __init__(self) -> None:
        super().__init__()
        self.rows: dict[str, list[list[tuple[str, float | None]]]] = {}
        self.findings: list[str] = []
        self.links: list[str] = []
        self.anchors: set[str] = set()
        self._chapter, self._cell = "", ["", None]

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        a = dict(attrs)
        if a.get("id"):
            self.anchors.add(str(a["id"]))
        if tag == "a":
            self.links.append(str(a["href"]))
        if tag == "table":
            self._chapter = a.get("data-chapter") or "other"
        if tag == "tr":
            self.rows.setdefault(self._chapter, []).append([])
        if tag == "td":
            self._cell = ["", float(str(a["data-si"])) if "data-si" in a else None]
        if tag == "div" and "data-code" in a:
            self.findings.append(str(a["data-code"]))

    def handle_data(self, data: str) -> None:
        self._cell[0] = str(self._cell[0]) + data

    def handle_endtag(self, tag: str) -> None:
        if tag == "td":
            self.rows[self._chapter][-1].append((str(self._cell[0]).strip(), self._cell[1]))  # type: ignore[arg-type]


def read(text: str) -> Tables:
    out = Tables()
    out.feed(text)
    return out


def test_html_holds_each_finding_once_and_all_its_links_lead_somewhere(done: Review) -> None:
    t = read(html(done, Settings()))
    assert t.findings == [f.code for f in done.findings]
    assert t.links and all(link.startswith("#") and link[1:] in t.anchors for link in t.links)


def test_html_numbers_are_those_of_the_tables(done: Review, tmp_path: Path) -> None:
    """Storeys and modes read back by a plain parser of HTML equal what the review wrote."""
    write_review(done, tmp_path)
    t = read(html(done, Settings()))
    with (tmp_path / "storeys.csv").open() as f:
        rows = list(csv.DictReader(f))
    found = [r for r in t.rows["storeys"] if r]
    assert len(found) == min(len(rows), 400)
    for row, cells in zip(rows, found):
        assert (cells[0][0], cells[1][0]) == (row["case"], row["storey"])
        for key, cell in zip(
            ("elevation", "shear_x", "shear_y", "drift_x", "drift_y", "fz", "mass"), cells[2:]
        ):
            assert cell[1] == (pytest.approx(float(row[key]), rel=1e-12) if row[key] else None)
    shown = float(found[-1][7][0])
    assert shown == pytest.approx(float(rows[-1]["fz"]) / 1000, rel=1e-4)


def test_results_to_look_at_again_exceed_the_limits_and_say_by_how_much(done: Review) -> None:
    t = read(html(done, Settings()))
    rows = [r for r in t.rows["changes"] if len(r) == 6 and r[5][0].endswith("%")]
    assert rows
    for r in rows:
        (was, is_), share = (r[3][1], r[4][1]), r[5][0]
        assert was is not None and is_ is not None
        assert abs(is_ - was) / max(abs(was), abs(is_)) == pytest.approx(float(share[:-1]) / 100, abs=0.006)
        assert abs(is_ - was) > 0.05 * max(abs(was), abs(is_))


def test_the_pdf_says_the_same_and_is_paged(done: Review, tmp_path: Path) -> None:
    """Text read back by another library: every code, contents with pages, page numbers, the stamp on every
    page."""
    import pypdfium2 as pdfium

    path = write_pdf(done, Settings(), tmp_path / "r.pdf")
    document = pdfium.PdfDocument(str(path))
    pages = [document[k].get_textpage().get_text_range() for k in range(len(document))]
    text = "\n".join(pages)
    for f in done.findings:
        assert f.code in text
    for k, page in enumerate(pages, 1):
        assert f"page {k} of {len(pages)}" in page
    fz = next(e.applied[2] for e in done.results.equilibrium) / 1000
    assert f"{fz:.5g}" in text


def test_blocking_findings_that_nobody_decided_are_stamped(loft_a: Path, tmp_path: Path) -> None:
    done = review_path(loft_a, Settings())
    assert done.blocking
    text = html(done, Settings(), paper=True)
    assert "not decided" in re.findall(r"@top-right \{ content: \"(.*?)\"", text)[0]


def test_decisions_of_a_project_stand_in_the_report_and_the_topics(loft_a: Path, tmp_path: Path) -> None:
    first = review_path(loft_a, Settings())
    path = tmp_path / "loft.rodtally"
    project = Project.create(path)
    revision = project.add_revision("A", first.model)
    f = first.findings[0]
    for key in f.keys:
        project.decide_all(revision, {key: ("accepted", "The hoist <hangs> free on purpose")}, by="R. Tester")
    project.close()
    out = [str(tmp_path / n) for n in ("r.html", "r.bcf")]
    main(["report", str(path), "--html", out[0], "--bcf", out[1]])
    text = Path(out[0]).read_text(encoding="utf-8")
    assert "The hoist &lt;hangs&gt; free on purpose" in text and "R. Tester" in text
    from bcf.v2.bcfxml import BcfXml

    opened = BcfXml.load(Path(out[1]))
    assert opened is not None
    topics = opened.topics.values()
    status = {t.topic.description: t.topic.topic_status for t in topics}
    assert status[f.message] == "Accepted" and "Open" in status.values()
    assert any(c.author == "R. Tester" for t in topics for c in t.comments)


@pytest.mark.parametrize("version", ["2.1", "3.0"])
def test_topics_lead_to_the_parts_and_the_place(
    done: Review, tmp_path: Path, version: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Read back by the same open library: one topic a finding, the source's ids, a camera that looks at the
    place, a picture. Version 3.0 lists the types, states and labels that its topics use."""
    monkeypatch.setattr(done.settings.report, "bcf", version)
    if version == "3.0":
        from bcf.v3.bcfxml import BcfXml
    else:
        from bcf.v2.bcfxml import BcfXml  # type: ignore[assignment]

    path = write_bcf(done, tmp_path / "r.bcf")
    opened = BcfXml.load(path)
    assert opened is not None
    topics = list(opened.topics.values())
    assert len(topics) == len(done.findings)
    by_text = {t.topic.description: t for t in topics}
    for f in done.findings:
        t = by_text[f.message]
        if f.at is None or not f.ids:
            continue
        view = next(iter(t.viewpoints.values()))
        camera = view.visualization_info.perspective_camera
        at = [a + b for a, b in zip(f.at, done.model.origin)]
        eye = [getattr(camera.camera_view_point, c) for c in "xyz"]
        look = [getattr(camera.camera_direction, c) for c in "xyz"]
        reach = sum((a - e) ** 2 for a, e in zip(at, eye)) ** 0.5
        assert [e + reach * d for e, d in zip(eye, look)] == pytest.approx(at, abs=1e-6)
        guids = view.get_selected_guids() or []
        assert set(guids) <= set(f.ids)
    names = zipfile.ZipFile(path).namelist()
    assert len(names) == len(set(names)) and any(n.endswith("snapshot.png") for n in names)
    again = write_bcf(done, tmp_path / "again.bcf")
    other = BcfXml.load(again)
    assert other is not None and {t.guid for t in topics} == set(other.topics)
    if version == "3.0":
        lists = opened.extensions
        assert {t.topic.topic_type for t in topics} <= set(lists.topic_types.topic_type)  # type: ignore[union-attr]
        assert {t.topic.topic_status for t in topics} <= set(lists.topic_statuses.topic_status)  # type: ignore[union-attr]
        assert {x for t in topics for x in t.topic.labels.label} <= set(lists.topic_labels.topic_label)  # type: ignore[union-attr]


def test_chapters_are_full_short_or_off(done: Review) -> None:
    s = Settings.from_dict(
        {"report": {"project": "Quay <1>", "chapters": {"modes": "off", "findings": "short"}}}
    )
    text = html(done, s)
    assert 'id="modes"' not in text and '<svg class="sketch"' not in text and "Quay &lt;1&gt;" in text
    with pytest.raises(SettingsError, match="report.chapters.weather"):
        Settings.from_dict({"report": {"chapters": {"weather": "full"}}})


def test_reports_never_go_over_a_source(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "m.ifc"
    path.write_bytes((DATA / "tern-quay-a.ifc").read_bytes())
    assert main(["report", str(path), "--html", str(path)]) == 2
    assert path.read_bytes() == (DATA / "tern-quay-a.ifc").read_bytes()
    assert main(["report", str(path)]) == 2
    assert "--html" in capsys.readouterr().err


def test_a_report_that_cannot_be_written_leaves_nothing(done: Review, tmp_path: Path) -> None:
    from rod_tally.output.write import OutputError

    with pytest.raises(OutputError):
        write_html(done, Settings(), tmp_path / "no" / "r.html")
    assert list(tmp_path.iterdir()) == []


def test_a_report_without_a_window_has_diagrams_of_forces() -> None:
    """One of each class and section, the one that is bent most; the strip runs from the lowest to the highest."""
    m = regular(2, 1)
    line_load(m, "m5", (0, 0, -1e3))
    done = review(m, Settings())
    chapter = next(c for c in chapters(done, done.settings) if c.key == "forces")
    groups = {(x.cls, x.section) for x in m.members.values()}
    assert len(chapter.drawings) == len(groups)
    title, svg = chapter.drawings[0]
    assert "lowest and highest over" in title and svg.count("<polygon") == 3
    x = np.array([0.0, 1.0, 2.0])
    svg = diagram(x, [("my", "kNm", np.array([0.0, -2.0, 0.0]), np.array([0.0, 6.0, 0.0]))])
    assert "my -2 to 6 kNm" in svg and "2 m</text>" in svg
    points = [tuple(map(float, p.split(","))) for p in svg.split('points="')[1].split('"')[0].split()]
    zero = float(svg.split('y1="')[1].split('"')[0])
    up, down = zero - points[1][1], points[4][1] - zero
    assert up == pytest.approx(3 * down, abs=0.2) and points[1][0] == pytest.approx(210.0)
    assert html(done, done.settings).count('class="drawn"') == len(chapter.drawings)
