"""The command line: `rod-tally review`, `demo`, or the window with a file. It drives the core and computes nothing."""

from __future__ import annotations

import argparse
import logging
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from . import __version__

if TYPE_CHECKING:
    from .model import Settings


def main(argv: Sequence[str] | None = None) -> int:
    """Exit status: 0 reviewed and nothing blocking, 1 something blocking, 2 could not be reviewed."""
    arguments = parser().parse_args(argv)
    try:
        if arguments.command == "review":
            return guarded(arguments, review_command)
        if arguments.command == "export":
            return guarded(arguments, export_command)
        if arguments.command == "report":
            return guarded(arguments, report_command)
        if arguments.command == "make":
            return guarded(arguments, make_command)
        from .desk.app import start  # Qt is loaded only when there is a window to show

        if arguments.command == "demo":
            return start(demo=True, picture=arguments.picture)
        return start(files=[arguments.file] if arguments.file else [])
    except KeyboardInterrupt:
        return say("stopped by the user")
    except BrokenPipeError:
        return 2


def parser() -> argparse.ArgumentParser:
    p = argparse.ArgumentParser(prog="rod-tally", description="Review of structural models.")
    p.add_argument("--version", action="version", version=f"Rod Tally {__version__}")
    sub = p.add_subparsers(dest="command", metavar="COMMAND")
    r = sub.add_parser("review", help="review a model without a window")
    r.add_argument("model", type=Path, metavar="MODEL", help="an IFC file or a Rod Tally project file")
    r.add_argument("--out", type=Path, required=True, metavar="DIR", help="where the files of the review go")
    r.add_argument("--against", type=Path, metavar="BASELINE", help="the reviewed model to compare with")
    r.add_argument(
        "--elsewhere",
        type=Path,
        metavar="RESULTS",
        help="results from elsewhere to compare with: a folder of CSV or a workbook",
    )
    r.add_argument(
        "--bare", action="store_true", help="with --against: carry nothing over from a baseline that is a project"
    )
    r.add_argument("--snap", type=float, metavar="M", help="largest distance that transfer closes by itself, m")
    r.add_argument("--settings", type=Path, metavar="FILE", help="settings of the review, TOML")
    r.add_argument("--xlsx", type=Path, metavar="FILE", help="all tables in one spreadsheet too")
    x = sub.add_parser(
        "export", help="hand the analytical model back as IFC4, structural analysis domain, or take it off"
    )
    x.add_argument("model", type=Path, metavar="MODEL", help="an IFC file or a Rod Tally project file")
    x.add_argument("--ifc", type=Path, metavar="FILE", help="the IFC file to write")
    x.add_argument("--results", action="store_true", help="run the model and write its results into the IFC file too")
    x.add_argument("--takeoff", type=Path, metavar="FILE", help="the spreadsheet to write the take-off to")
    x.add_argument("--settings", type=Path, metavar="FILE", help="settings of the transfer, TOML")
    t = sub.add_parser("report", help="write the report of a review, or its findings for the modellers")
    t.add_argument(
        "model", type=Path, metavar="MODEL", help="an IFC file or a Rod Tally project file, whose decisions go in"
    )
    t.add_argument("--against", type=Path, metavar="BASELINE", help="the reviewed model to compare with")
    t.add_argument("--settings", type=Path, metavar="FILE", help="settings of the review, TOML")
    t.add_argument("--html", type=Path, metavar="FILE", help="the report as one HTML file")
    t.add_argument("--pdf", type=Path, metavar="FILE", help="the report on paper")
    t.add_argument("--bcf", type=Path, metavar="FILE", help="findings as topics, BCF 2.1")
    k = sub.add_parser("make", help="make a frame or a façade frame from parameters")
    k.add_argument("model", type=Path, metavar="RECIPE", help="the recipe, TOML")
    k.add_argument("--ifc", type=Path, required=True, metavar="FILE", help="the IFC file to write")
    d = sub.add_parser("demo", help="open the window with the demo project")
    d.add_argument("--picture", type=Path, metavar="PNG", help="where the picture of the window goes without a display")
    w = sub.add_parser("open", help="open the window, with a file if one is named")
    w.add_argument("file", type=Path, nargs="?", metavar="FILE")
    p.set_defaults(file=None)
    return p


def say(message: str) -> int:
    """One line on standard error; returns the exit status for it."""
    print("rod-tally: " + " ".join(message.split()), file=sys.stderr)
    return 2


def guarded(arguments: argparse.Namespace, command: Callable[[argparse.Namespace], int]) -> int:
    """Run a command; whatever goes wrong becomes one line and exit status 2."""
    from .analysis import AnalysisError
    from .intake import IntakeError
    from .loads.combinations.rules import RulesError
    from .log_file import start_log
    from .make import RecipeError
    from .model import SettingsError
    from .output.write import OutputError

    start_log()
    try:
        return command(arguments)
    except (SettingsError, IntakeError, AnalysisError, OutputError, RulesError, RecipeError) as error:
        return say(str(error))
    except MemoryError:
        return say(f"{arguments.model}: does not fit into this machine's memory")
    except Exception as error:  # a fault of ours: still one line, and what to send to us
        path = start_log()
        logging.getLogger("rod_tally.cli").exception("%s failed", arguments.command)
        where = f"; details are in {path}" if path is not None else ""
        return say(f"{arguments.model}: a fault in Rod Tally ({type(error).__name__}: {error}){where}")


def settings_of(arguments: argparse.Namespace) -> Settings:
    """The settings file, if one is named, with what the command line says over it."""
    from .model import Settings

    settings = Settings.read(arguments.settings) if arguments.settings else Settings()
    snap = getattr(arguments, "snap", None)
    if snap is not None:
        Settings.from_dict({"transfer": {"snap": snap}}, "--snap")
        settings.transfer.snap = snap
    return settings


def review_command(arguments: argparse.Namespace) -> int:
    """Review, write the files, print a summary."""
    from .output.write import write_review
    from .project.open import review_path
    from .review.summary import summary
    from .review.work import attach_elsewhere

    done = review_path(arguments.model, settings_of(arguments), arguments.against, bare=arguments.bare)
    if arguments.elsewhere:
        attach_elsewhere(done, arguments.elsewhere)
    write_review(done, arguments.out)
    if arguments.xlsx:
        from .output.spreadsheet import write_workbook

        write_workbook(done, arguments.xlsx)
    print(summary(done))
    return 1 if done.blocking else 0


def report_command(arguments: argparse.Namespace) -> int:
    """Review and write it up; never over a source."""
    from .output.bcf import write_bcf
    from .output.report import write_html, write_pdf
    from .project.open import review_path

    wanted = [p for p in (arguments.html, arguments.pdf, arguments.bcf) if p is not None]
    if not wanted:
        return say("report: name a file with --html, --pdf or --bcf")
    for path in wanted:
        for source in (arguments.model, arguments.against):
            if source is not None and path.exists() and source.exists() and path.samefile(source):
                return say(f"{path}: is the source itself, which is never changed; choose another name")
    settings = settings_of(arguments)
    done = review_path(arguments.model, settings, arguments.against)
    if arguments.html:
        print(f"report written to {write_html(done, settings, arguments.html)}")
    if arguments.pdf:
        print(f"report written to {write_pdf(done, settings, arguments.pdf)}")
    if arguments.bcf:
        print(f"{len(done.findings)} findings written to {write_bcf(done, arguments.bcf)}")
    return 1 if done.blocking else 0


def export_command(arguments: argparse.Namespace) -> int:
    """Hand the model back as IFC, or take it off to a spreadsheet; never over its source."""
    from .output.ifc import write_ifc
    from .output.spreadsheet import write_takeoff
    from .project.open import model_at
    from .review.work import review

    wanted = [p for p in (arguments.ifc, arguments.takeoff) if p is not None]
    if not wanted:
        return say("export: name a file with --ifc or --takeoff")
    for path in wanted:
        if path.exists() and arguments.model.exists() and path.samefile(arguments.model):
            return say(f"{path}: is the source itself, which is never changed; choose another name")
    model = model_at(arguments.model, settings_of(arguments))
    if arguments.ifc:
        count = f"{len(model.members)} members and {len(model.surfaces)} surfaces"
        if arguments.results:
            done = review(model, settings_of(arguments))
            path = write_ifc(model, arguments.ifc, done.results, done.fields)
            count += f" with results of {len(done.results.cases)} cases"
        else:
            path = write_ifc(model, arguments.ifc)
        print(f"{count} written to {path}")
    if arguments.takeoff:
        print(f"take-off written to {write_takeoff(model, arguments.takeoff)}")
    return 0


def make_command(arguments: argparse.Namespace) -> int:
    """Make a model from a recipe and write it as IFC."""
    from .make import Recipe, make
    from .output.ifc import write_ifc

    if arguments.ifc.exists() and arguments.model.exists() and arguments.ifc.samefile(arguments.model):
        return say(f"{arguments.ifc}: is the recipe itself; choose another name")
    made = make(Recipe.read(arguments.model))
    path = write_ifc(made.model, arguments.ifc)
    print(f"{len(made.model.members)} members and {len(made.model.surfaces)} surfaces written to {path}")
    for note in made.notes:
        print(f"note: {note}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
