"""Makes the pictures of the main views from the demo data: `xvfb-run … python tools/pictures.py DIR [names
…]`."""

from __future__ import annotations

import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QSettings
from PyQt6.QtGui import QGuiApplication

from rod_tally.analysis.results.cut_places import regular_cuts
from rod_tally.demo.project import make_demo
from rod_tally.desk.app import application, grab, settle
from rod_tally.desk.window import Window
from rod_tally.model.edits import AddCuts
from rod_tally.review import STEPS

STEP = {s.name: s for s in STEPS}


def framing(w: Window) -> None:
    """Revision A, the gap picked."""
    w.state.choose(0)
    w.state.go(STEP["Framing"])
    w.state.pick_finding(next(f for f in w.state.revisions[0].review.findings if f.code == "join.gap"))


def supports(w: Window) -> None:
    w.state.choose(0)
    w.state.go(STEP["Supports"])
    w.state.pick_finding(
        next(f for f in w.state.revisions[0].review.findings if f.code == "support.base_free")
    )


def plates(w: Window) -> None:
    """Moments of the roof slab and the core in Revision B."""
    w.state.choose(1)
    w.state.go(STEP["Response"])
    w.state.show_overlay("plates")
    w.state.set_view(case="Self-weight", plate="my", plate_range=(-8e3, 8e3))
    w.tables.show_table("surface_forces")
    model = w.state.review.model if w.state.review else None
    assert model is not None
    w.state.pick("surface", next(s.id for s in model.surfaces.values() if s.name == "Roof floor"))


def cuts(w: Window) -> None:
    """Shear in the roof's plane under wind, Revision B."""
    w.state.choose(1)
    w.state.go(STEP["Response"])
    model = w.state.review.model if w.state.review else None
    assert model is not None
    if not model.cuts:
        w.session.correct(AddCuts(regular_cuts(model, "Roof", "x", 2.0)))
        settle(w, 20)
    w.state.show_overlay("cuts")
    w.state.set_view(case="Wind y")
    w.tables.show_table("cuts")
    w.view.look_from("plan")


def effects(w: Window) -> None:
    w.state.choose(0)
    w.state.go(STEP["Run"])
    w.actions_["run.effects"].trigger()
    settle(w, 300)


def source(w: Window) -> None:
    w.state.choose(0)
    w.state.go(STEP["Source"])


def loads(w: Window) -> None:
    w.state.choose(1)
    w.state.go(STEP["Loads"])
    w.state.set_view(case="Sail floors")


def arrived(w: Window) -> None:
    """Revision A, where some of a load is lost."""
    w.state.choose(0)
    w.state.go(STEP["Loads"])
    w.state.show_overlay("arrived")
    w.state.set_view(case="Boat cradles")
    w.state.show_storeys({"Loft"})
    w.tables.show_table("cases")


def closeout(w: Window) -> None:
    """What a signature needs, with a part of the first revision looked at and decided on."""
    w.state.choose(0)
    revision = w.state.revision
    assert revision is not None
    for item in ("Framing/Gaps", "Framing/Doubled", "Supports/Bases held"):
        if item not in revision.looked:
            w.session.look(item)
    doubled = next(f for f in revision.review.findings if f.code == "join.duplicate")
    w.session.decide(doubled, "accepted", "two flanges of one built-up beam")
    w.state.go(STEP["Close-out"])
    settle(w, 10)
    w.view.look_from("3d")


def combinations(w: Window) -> None:
    w.state.choose(1)
    w.state.go(STEP["Loads"])
    w.tables.show_table("combinations")
    w.load_desk.combine()


def run(w: Window) -> None:
    w.state.choose(1)
    w.state.go(STEP["Run"])


def response(w: Window) -> None:
    w.state.choose(1)
    w.state.go(STEP["Response"])
    w.state.show_storeys({"Loft"})
    model = w.state.review.model if w.state.review else None
    assert model is not None
    w.state.pick("member", next(m.id for m in model.members.values() if m.name == "Loft B2-B3"))


def envelope(w: Window) -> None:
    w.state.choose(1)
    w.show_overlay("envelope", "envelope")
    w.state.show_storeys({"Loft"})
    model = w.state.review.model if w.state.review else None
    assert model is not None
    w.state.pick("member", next(m.id for m in model.members.values() if m.name == "Loft B2-B3"))


def modes(w: Window) -> None:
    w.state.choose(1)
    w.show_overlay("modes", "modes")


def member(w: Window) -> None:
    """A beam's own page over the view."""
    w.state.choose(1)
    w.state.go(STEP["Response"])
    model = w.state.review.model if w.state.review else None
    assert model is not None
    w.state.set_view(case="Sail floors")
    w.state.pick("member", next(m.id for m in model.members.values() if m.name == "Rigging B2-B3"))
    w.response_desk.show_member()
    assert w.response_desk.page is not None
    w.response_desk.page.move(60, 90)


def storeys(w: Window) -> None:
    """Centres in the view; what keeps each storey in equilibrium in the table."""
    w.state.choose(1)
    w.state.go(STEP["Response"])
    w.response_desk.show_centres()
    w.state.set_view(case="Wind y")
    w.tables.show_table("storeys", 1)


def rules(w: Window) -> None:
    w.state.choose(0)
    w.pages.show_rules()
    assert w.pages.rules is not None
    w.pages.rules.preview()


def revision(w: Window) -> None:
    """What changed, and which parts must be looked at again."""
    w.state.choose(1)
    w.state.go(STEP["Revision"])
    w.tables.show_table("again")
    assert w.state.comparison is not None
    listed = next(x for x in w.state.comparison.again if x.why == "demand")
    w.state.pick("member", listed.revised_id)


def parity(w: Window) -> None:
    w.state.choose(1)
    w.show_parity()


VIEWS: dict[str, Callable[[Window], None]] = {
    f.__name__: f
    for f in (
        source,
        framing,
        supports,
        loads,
        arrived,
        closeout,
        combinations,
        run,
        response,
        envelope,
        modes,
        revision,
        parity,
        member,
        storeys,
        plates,
        effects,
        cuts,
        rules,
    )
}


MANAGER = "openbox"  # a window manager, so that pages have frames and titles in the pictures


def framed(path: Path) -> bool:
    """Keep the whole screen, frames of windows and pages included."""
    screen = QGuiApplication.primaryScreen()
    assert screen is not None
    return screen.grabWindow().save(str(path))


def main() -> None:
    target = Path(sys.argv[1])
    target.mkdir(parents=True, exist_ok=True)
    manager = subprocess.Popen([MANAGER, "--sm-disable"]) if shutil.which(MANAGER) else None
    time.sleep(1.0)
    try:
        make(target, grab if manager is None else lambda _, path: framed(path))
    finally:
        if manager is not None:
            manager.terminate()


def make(target: Path, keep: Callable[[Window, Path], bool]) -> None:
    """Take the pictures that are asked for on the command line, or all."""
    with tempfile.TemporaryDirectory() as folder:
        # units, columns and sizes that somebody chose on this machine are not in the pictures
        QSettings.setPath(QSettings.Format.NativeFormat, QSettings.Scope.UserScope, folder)
        app = application()
        window = Window()
        window.move(0, 0)
        window.show()
        settle(window, 2)
        window.layout_desk.fit()
        window.session.open(make_demo(Path(folder) / "Tern Quay sail loft.rodtally"))
        settle(window, 60)
        for name in sys.argv[2:] or VIEWS:
            window.view_desk.show_all()
            if window.pages.rules is not None:
                window.pages.rules.close()
            if window.load_desk.combine_page is not None:
                window.load_desk.combine_page.close()
            if window.response_desk.page is not None:
                window.response_desk.page.close()
            VIEWS[name](window)
            settle(window, 10)
            keep(window, target / f"{name}.png")
        window.close()
        app.processEvents()


if __name__ == "__main__":
    main()
