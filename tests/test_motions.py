"""Which motion a whole building made: by identities where these agree, by places where not; mirror images are
told."""

from __future__ import annotations

import numpy as np
import pytest

from rod_tally.compare import Side, compare
from rod_tally.compare.align import Transform
from rod_tally.model import Model, Settings
from rod_tally.review.remedies import edit_for
from rod_tally.transfer import transfer

from .physical_models import add, moved, source


def row(bays: int, first: int = 0, x0: float = 0.0, ids: bool = True, dealt: bool = False) -> Model:
    """Portals 5 m apart in a row along x, those numbered `first` on; bay k lies between portals k and k +
    1."""
    s = source([0.0, 4.0])
    for k in range(bays + 1):
        x, n = x0 + 5.0 * k, first + k
        for y in (0.0, 6.0):
            add(s, "column", f"K{n}{y:.0f}", (x, y, 0), (x, y, 4), z=(1, 0, 0))
            if k < bays:
                add(s, "beam", f"L{n}{y:.0f}", (x, y, 3.8), (x + 5, y, 3.8))
        add(s, "beam", f"R{n}", (x, 0, 3.8), (x, 6, 3.8))
    if not ids:
        for e in s.elements:
            e.id = f"new {e.id}"
    if dealt:
        names = [e.id for e in s.elements]
        for e, k in zip(s.elements, np.random.default_rng(3).permutation(len(names))):
            e.id = names[k]
    return transfer(s, Settings().transfer)


def statuses(a: Model, b: Model) -> tuple[dict[str, int], list[str]]:
    found = compare(Side(a), Side(b))
    count: dict[str, int] = {}
    for m in found.members:
        count[m.status] = count.get(m.status, 0) + 1
    for m in found.members:
        if m.status == "same" and a.members[m.baseline_id or ""].id in b.members:
            assert m.baseline_id == m.revised_id
    return count, [f.message for f in found.findings if f.code == "match.transform"]


def test_a_bay_added_at_the_beginning_is_added_there() -> None:
    """The origin stays at the first portal, so all others moved by a bay; nine of eleven portals lie where
    others were."""
    count, said = statuses(row(10, 1), row(11, 0))
    assert count == {"same": 10 * 2 + 11 * 3, "added": 5}
    assert len(said) == 1 and "shifted by (5.000, 0.000, 0.000)" in said[0] and "identities" in said[0]


def test_places_are_followed_where_that_is_chosen() -> None:
    """Both readings of an added bay are one click apart, and the choice is kept with the revision."""
    a, b = row(10, 1), row(11, 0)
    for action, added_at in (("Pair by places instead", "11"), ("Follow the identities again", "0")):
        found = compare(Side(a), Side(b))
        (said,) = (f for f in found.findings if f.code == "match.transform")
        assert action in said.actions
        edit = edit_for(b, said, action)
        assert edit is not None
        edit.apply(b)
        found = compare(Side(a), Side(b))
        added = {m.revised_id for m in found.members if m.status == "added"}
        assert {f"R{added_at}", f"K{added_at}0", f"K{added_at}6"} <= added
        assert (found.transform is None) == (action == "Pair by places instead")


def test_without_identities_places_decide() -> None:
    count, said = statuses(row(10, 1), row(11, 0, ids=False))
    assert count["added"] == 5 and "removed" not in count and not said


def test_a_bay_added_at_the_end_is_no_motion() -> None:
    count, said = statuses(row(10, 1), row(11, 1))
    assert count == {"same": 10 * 2 + 11 * 3, "added": 5} and not said


@pytest.mark.parametrize("far", [0.0, 37.5])
def test_a_symmetric_building_that_was_mirrored_keeps_its_identities(far: float) -> None:
    """Each portal lies where another was, its beams on the same side: identities say that it is a mirror
    image, places that nothing happened, or that it was shifted."""
    a, b = row(10), row(10, x0=far)
    for m in b.members.values():
        kind, side = m.id[0], m.id[-1] if m.id[0] in "KL" else ""
        n = int(m.id[1:].removesuffix(side) if side else m.id[1:])
        m.id = f"{kind}{(9 if kind == 'L' else 10) - n}{side}"
    b.members = {m.id: m for m in b.members.values()}
    found = compare(Side(a), Side(b))
    assert found.transform is not None and found.transform.mirrored and found.transform.by == "identity"
    assert all(m.baseline_id == m.revised_id and m.shift == 0 for m in found.members)
    # a column's z looks along x in both, and turns round in the mirror
    assert {c.what for m in found.members for c in m.changes} == {"turn"}
    assert {m.cls for m in found.members if m.changes} == {"column"}
    b.pair_by = "place"
    found = compare(Side(a), Side(b))
    assert found.transform is None if far == 0 else found.transform == Transform(0.0, (far, 0.0, 0.0))
    assert {m.status for m in found.members} == {"same"}


@pytest.mark.parametrize("far", [0.0, 37.5])
def test_identities_that_were_dealt_anew_say_nothing(far: float) -> None:
    """Names that are given out at random agree on no motion."""
    found = compare(Side(row(10)), Side(row(10, x0=far, dealt=True)))
    assert {m.status for m in found.members} == {"same"}
    assert (found.transform is not None) == (far > 0)


def test_a_mirror_image_is_told() -> None:
    """A building without an axis of its own, mirrored about x = 0: no turn brings it into place."""

    def ell(sign: float) -> Model:
        s = source([0.0, 4.0])
        places = [(0, 0), (4, 0), (9, 0), (9, 5), (9, 12), (15, 12), (0, 3)]
        for k, (x, y) in enumerate(places):
            add(s, "column", f"K{k}", (sign * x, y, 0), (sign * x, y, 4), z=(1, 0, 0))
        for k, ((x, y), (u, v)) in enumerate(zip(places, places[1:-1])):
            add(s, "beam", f"B{k}", (sign * x, y, 3.8), (sign * u, v, 3.8))
        for e in s.elements:
            e.id = f"{sign}{e.id}"
        return transfer(s, Settings().transfer)

    assert any("mirror image" in w for w in statuses(ell(1), ell(-1))[1])
    assert not any("mirror image" in w for w in statuses(ell(1), ell(1))[1])
    turned = transfer(moved(source(), np.eye(3), np.zeros(3)), Settings().transfer)
    assert not any("mirror image" in w for w in statuses(ell(1), turned)[1])
