"""The report's own 3D view: what it holds, and in a browser without a screen or a network."""

from __future__ import annotations

import json
import re
import shutil
import subprocess
from base64 import b64decode
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from rod_tally.model import LoadCase, NodeLoad, Settings, Storey
from rod_tally.output.report.chapters import chapters
from rod_tally.output.report.overview import drawing, summary_lines
from rod_tally.output.report.scene import POINTS, scene
from rod_tally.output.report.write import html
from rod_tally.review import Review
from rod_tally.review.work import review

from .frames import regular

BROWSER = shutil.which("chromium") or shutil.which("chromium-browser")


def reviewed() -> Review:
    m = regular(1, 2)
    m.name = "Frame </script><b>"
    m.storeys = [Storey("Ground", 0.0), Storey("Top", 7.0)]
    top = max(m.nodes, key=lambda n: tuple(m.nodes[n].point[::-1]))
    m.cases = {"W": LoadCase("W", "wind", node_loads=[NodeLoad(top, (30e3, 8e3, -5e3))])}
    loose = max(m.nodes, key=lambda n: tuple(m.nodes[n].point))
    like = next(x for x in m.members.values() if x.cls == "beam")
    m.nodes["tip"] = replace(m.nodes[loose], id="tip", point=m.nodes[loose].point + [4.5, 0.0, 0.0])
    m.members["arm"] = replace(like, id="arm", name="arm </script>", start=loose, end="tip", joints=[])
    return review(m, Settings())


def floats(text: str) -> np.ndarray:
    return np.frombuffer(b64decode(text), "<f4")


def test_the_scene_holds_the_model_its_values_and_its_findings() -> None:
    done = reviewed()
    m, made = done.model, chapters(done, done.settings)
    s = scene(done, made)
    lines = floats(s["lines"]).reshape(-1, 2, 3)
    assert np.allclose(lines, m.lines(), atol=1e-4) and len(s["members"]) == len(m.members)
    moved = floats(s["moved"]).reshape(len(lines), POINTS, 3)
    r = done.results
    index = {n: k for k, n in enumerate(r.node_ids)}
    for k, x in enumerate(m.members.values()):
        for end, node in ((0, x.start), (-1, x.end)):
            assert moved[k, end] == pytest.approx(r.displacement[0, index[node], :3], abs=1e-6)
    assert (
        s["case"] == "W" and s["storeys"] == ["Ground", "Top", ""] or set(s["storeys"]) >= {"Ground", "Top"}
    )
    name, cls, section, _, storey, values, findings = s["members"][-1]
    arm = m.members["arm"]
    assert (name, *(s["words"][k] for k in (cls, section, storey))) == (
        arm.name,
        "beam",
        arm.section,
        arm.storey,
    )
    assert s["quantities"] == [["n", "kN"], ["vz", "kN"], ["my", "kNm"], ["mz", "kNm"]] and len(values) == 8
    assert all(low <= high for low, high in zip(values[::2], values[1::2]))
    told = [f for f in s["findings"] if f["number"] in findings]
    assert told and all(list(m.members).index("arm") in f["members"] for f in told)
    # drawn, the largest displacement is a share of the building's size
    size = float(np.linalg.norm(np.ptp(lines.reshape(-1, 3), axis=0)))
    assert s["scale"] * np.linalg.norm(moved, axis=2).max() == pytest.approx(0.05 * size, rel=1e-5)


def test_a_model_without_results_has_a_scene_without_a_case() -> None:
    done = reviewed()
    done.stale = True
    s = scene(done, chapters(done, done.settings))
    assert s["case"] == "" and not floats(s["moved"]).any() and all(x[5] == [] for x in s["members"])


def test_the_page_stands_alone_and_no_name_breaks_out_of_it() -> None:
    done = reviewed()
    page = html(done, done.settings)
    data = re.search(r'id="building-data">(.*?)</script>', page, re.S)
    assert data is not None and json.loads(data[1])["members"][-1][0] == "arm </script>"
    assert "http://" not in re.sub(r"<svg.*?</svg>|<script.*?</script>", "", page, flags=re.S)
    assert "<script src" not in page and "import(" not in page.split('id="building-data"')[0]
    assert page.count("<script") == page.count("</script>") == 3
    paper = html(done, done.settings, paper=True)
    assert "<script" not in paper and 'class="building"' in paper


def test_the_first_page_has_a_drawing_and_what_matters() -> None:
    done = reviewed()
    picture = drawing(done.model)
    assert picture.count("M") >= len(done.model.members) and picture.endswith("</svg>")
    heads = dict(summary_lines(done))
    assert (
        f"{len(done.model.members)} members" in heads["The building"]
        and "base sum of W" in heads["The building"]
    )
    count = sum(f.severity == "blocking" for f in done.findings)
    assert (
        heads["Findings"].startswith(f"{count} blocking") and "1 cases, largest residual" in heads["Results"]
    )
    done.stale = True
    assert "changed since its run" in dict(summary_lines(done))["Results"]
    done.model.members.clear()
    assert drawing(done.model) == ""


@pytest.mark.skipif(BROWSER is None, reason="needs Chromium; ./run test installs it")
def test_a_browser_draws_it_and_says_what_is_picked(tmp_path: Path) -> None:
    """Headless, with no network: the canvas is there, a part is shown with its values, a storey is hidden."""
    done = reviewed()
    probe = """<script>window.addEventListener("load", () => { const out = {};
      const b = window.building; out.canvas = !!document.querySelector("#building-view canvas");
      out.drawing = !!document.getElementById("building-drawing");
      b.show(b.data.members.length - 1); out.part = document.getElementById("building-part").textContent;
      const tick = document.querySelector("#building-storeys input"); tick.click(); out.ticked = tick.checked;
      const bent = document.getElementById("building-scale"); bent.value = "1"; bent.dispatchEvent(new Event("input"));
      out.end = b.at(b.data.members.length - 1);
      document.querySelectorAll("#building-findings a").forEach((a) => a.click());
      out.said = document.getElementById("building-said").textContent;
      document.body.textContent = "PROBE" + JSON.stringify(out); });</script></body>"""
    path = tmp_path / "report.html"
    path.write_text(html(done, done.settings).replace("</body>", probe), encoding="utf-8")
    command = [str(BROWSER), "--headless=new", "--no-sandbox", "--use-gl=angle", "--use-angle=swiftshader"]
    command += [
        "--enable-unsafe-swiftshader",
        f"--user-data-dir={tmp_path / 'profile'}",
        "--virtual-time-budget=5000",
    ]
    command += ["--proxy-server=127.0.0.1:9", "--dump-dom", path.as_uri()]
    shown = subprocess.run(command, capture_output=True, text=True, timeout=120, check=False).stdout
    found = re.search(r"PROBE(\{.*?\})</body>", shown, re.S)
    assert found is not None, shown[-600:]
    out = json.loads(found[1].replace("&lt;", "<").replace("&gt;", ">"))
    assert out["canvas"] and not out["drawing"] and not out["ticked"]
    assert out["part"].startswith("beam arm </script>") and "kNm" in out["part"]
    s = scene(done, chapters(done, done.settings))
    start = (
        floats(s["lines"]).reshape(-1, 2, 3)[-1, 0]
        + s["scale"] * floats(s["moved"]).reshape(-1, POINTS, 3)[-1, 0]
    )
    assert out["end"] == pytest.approx(start.tolist(), abs=1e-4)
    assert ": read it" in out["said"]
