"""Findings as topics of a BCF file (2.1 or 3.0), for those who correct the building model."""

from __future__ import annotations

import re
import uuid
import warnings
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np

from ..model import Finding
from ..review.answers import OURS, SPACE, exact_topic_id, topic_id
from ..review.decisions import decision_on
from ..review.review import Review
from ..review.titles import title_of
from .sketch import Sketches
from .write import OutputError, write_whole

GLOBAL_ID = re.compile(r"[0-3][0-9A-Za-z_$]{21}")
AUTHOR = OURS
STATUS = {None: "Open", "accepted": "Accepted", "corrected": "Corrected"}
PICTURES = 300  # of places; beyond that a topic has its view alone
MOST_IDS = 500  # parts that one view selects
TITLE = 120  # letters


def write_bcf(review: Review, path: Path) -> Path:
    """Write every finding, with its place, its parts and the decision on it, in the version of the settings.
    Raises OutputError.

    A finding has the same topic each time, so that a later file brings the state up to date.
    """
    third = review.settings.report.bcf == "3.0"
    mdl: Any
    BcfXml: Any
    if third:
        import bcf.v3.model as mdl
        from bcf.v3.bcfxml import BcfXml
    else:
        import bcf.v2.model as mdl
        from bcf.v2.bcfxml import BcfXml

    name = review.model.name or Path(review.model.source_file).stem
    file = BcfXml.create_new(name)
    sketches = Sketches(review.model)
    for k, f in enumerate(review.findings):
        _topic(file, mdl, review, f, sketches if k < PICTURES else None, third)
    if third:  # every word that topics use has to be in the file's list of extensions
        topics = [t.topic for t in file.topics.values()]
        file.extensions = mdl.Extensions(
            topic_types=mdl.ExtensionsTopicTypes(topic_type=sorted({t.topic_type for t in topics})),
            topic_statuses=mdl.ExtensionsTopicStatuses(topic_status=sorted(STATUS.values())),
            topic_labels=mdl.ExtensionsTopicLabels(topic_label=sorted({f.code for f in review.findings})),
            users=mdl.ExtensionsUsers(user=sorted({AUTHOR} | {d.by for d in review.decisions if d.by})),
        )

    def save(p: Path) -> None:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            file.save(p)

    try:
        write_whole(path, save)
    except OSError as error:
        raise OutputError(f"{path}: cannot be written to: {error.strerror or error}") from error
    return path


def _topic(file: Any, mdl: Any, review: Review, f: Finding, sketches: Sketches | None, third: bool) -> None:
    from xsdata.models.datatype import XmlDateTime

    made = decision_on(f, review.decisions)
    title = f"{title_of(f)}: {f.message}"
    title = title if len(title) <= TITLE else title[: TITLE - 1] + "…"
    topic = file.add_topic(
        title, f.message, AUTHOR, topic_type=f.severity, topic_status=STATUS[made.decision if made else None]
    )
    guid = topic_id(review.model.name, f)
    if guid in file.topics:
        guid = exact_topic_id(review.model.name, f)
    file.topics[guid] = file.topics.pop(topic.guid)
    topic.topic.guid = guid
    topic._topic_dir = Path(guid)
    topic.topic.labels = mdl.TopicLabels(label=[f.code]) if third else [f.code]
    if made is not None:
        when = datetime.fromisoformat(made.when) if made.when else datetime.now(UTC)
        text = made.decision + (f": {made.reason}" if made.reason else "")
        topic.comments = [
            mdl.Comment(
                date=XmlDateTime.from_datetime(when),
                author=made.by or AUTHOR,
                comment=text,
                guid=str(uuid.uuid5(SPACE, f"{guid}/{text}")),
            )
        ]
    guids = [i for i in f.ids if GLOBAL_ID.fullmatch(i)][:MOST_IDS]
    at = f.at if f.at is not None else _middle(review, f.ids)
    if at is None:
        return
    place = np.array(at, float) + review.model.origin
    view = topic.add_viewpoint_from_point_and_guids(place, *guids)
    # from the south-west and above, near enough to see the place
    away = np.array([-0.6, -0.7, 0.55]) * 8.0
    camera = view.visualization_info.perspective_camera
    for point, v in (
        (camera.camera_view_point, place + away),
        (camera.camera_direction, -away / np.linalg.norm(away)),
        (camera.camera_up_vector, _up(-away)),
    ):
        point.x, point.y, point.z = (float(c) for c in v)
    sketch = sketches.of(at, f.ids) if sketches is not None else None
    if sketch is not None:
        view.snapshot = sketch.png()
        views = topic.topic.viewpoints.view_point if third else topic.markup.viewpoints
        views[-1].snapshot = "snapshot.png"


def _up(forward: np.ndarray) -> np.ndarray:
    side = np.cross(forward, [0.0, 0, 1])
    up = np.cross(side, forward)
    return np.asarray(up / np.linalg.norm(up))


def _middle(review: Review, ids: tuple[str, ...]) -> tuple[float, float, float] | None:
    for ident in ids:
        member, surface = review.model.members.get(ident), review.model.surfaces.get(ident)
        if member is not None:
            middle = review.model.line(member).mean(axis=0)
        elif surface is not None:
            middle = surface.outer.mean(axis=0)
        else:
            continue
        return float(middle[0]), float(middle[1]), float(middle[2])
    return None
