"""Envelopes over the combinations of a run, worked out when they are asked for and kept as long as they
hold."""

from __future__ import annotations

from ..analysis import Results
from ..analysis.results.superpose import Envelope, MemberEnvelope, envelope, of_members
from ..analysis.shells.envelope import PlateEnvelope, plate_envelope
from ..analysis.shells.fields import PlateFields
from ..model import Combination
from ..progress import Progress, silent

LARGE = 5e7  # values times combinations; fewer are worked out in a quarter of a second


class Envelopes:
    """The envelopes of one run and its computed combinations."""

    def __init__(self, results: Results, combinations: list[Combination]) -> None:
        self.results, self.combinations = results, combinations
        self._members: dict[str, tuple[Envelope, MemberEnvelope]] = {}
        self._plates: dict[tuple[str, bool], PlateEnvelope] = {}

    @property
    def empty(self) -> bool:
        return not self.combinations or self.results.empty

    @property
    def waiting(self) -> bool:
        """Return whether forces of members are so many that they should be worked out in the background,
        and are not yet."""
        values = self.results.force[0].size if len(self.results.force) else 0
        return not self.empty and not self._members and values * len(self.combinations) > LARGE

    @property
    def kinds(self) -> list[str]:
        """Kinds of the combinations (strength, serviceability …), in their order."""
        return list(dict.fromkeys(c.kind for c in self.combinations if c.kind))

    def members(self, kind: str = "", progress: Progress = silent) -> tuple[Envelope, MemberEnvelope] | None:
        """Return the envelope of forces at stations and by member, over the combinations of a kind or over
        all; None without combinations."""
        own = [c for c in self.combinations if not kind or c.kind == kind]
        if kind not in self._members and own and not self.empty:
            over = envelope(self.results, own, progress=progress)
            self._members[kind] = over, of_members(self.results, over)
        return self._members.get(kind)

    def known_plates(self, name: str, averaged: bool) -> PlateEnvelope | None:
        """Return the envelope of a quantity of slabs and walls where it was worked out."""
        return self._plates.get((name, averaged))

    def plates(
        self, fields: PlateFields, name: str, averaged: bool, progress: Progress = silent
    ) -> PlateEnvelope:
        """Return the envelope of a quantity of slabs and walls. Raises ValueError where no combination can
        be enveloped."""
        found = self.known_plates(name, averaged)
        if found is None:
            found = plate_envelope(fields, self.results, self.combinations, name, averaged, progress)
            self._plates[name, averaged] = found
        return found
