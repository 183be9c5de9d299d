"""The command line: `rod-tally review`, `demo`, or the window with a file. It drives the core and computes
nothing."""

from __future__ import annotations

import argparse
import logging
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from . import __version__
from .progress import Progress, silent

if TYPE_CHECKING:
    from .model import Settings
    from .review import Review


COMMANDS = ("review", "report", "make", "export", "demo", "open", "desktop")
SUFFIXES = (".ifc", ".ifczip", ".rodtally")


def main(argv: Sequence[str] | None = None) -> int:
    """Exit status: 0 reviewed and nothing blocking, 1 something blocking, 2 could not be reviewed."""
    given = list(sys.argv[1:] if argv is None else argv)
    if given and given[0] not in COMMANDS and not given[0].startswith("-"):
        given = ["open", *given]  # a file by itself is opened
    arguments = parser().parse_args(given)
    try:
        if arguments.command == "review":
            return guarded(arguments, review_command)
        if arguments.command == "export":
            return guarded(arguments, export_command)
        if arguments.command == "report":
            return guarded(arguments, report_command)
        if arguments.command == "make":
            return guarded(arguments, make_command)
        if arguments.command == "desktop":
            return desktop_command(arguments)
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
    r.add_argument(
        "model",
        type=Path,
        metavar="MODEL",
        help="an IFC file, a model in tables (.xlsx, or nodes.csv with the others beside it), a Rod Tally project file, or a folder of them",
    )
    r.add_argument("--out", type=Path, required=True, metavar="DIR", help="where the files of the review go")
    r.add_argument("--against", type=Path, metavar="BASELINE", help="the reviewed model to compare with")
    r.add_argument(
        "--elsewhere",
        type=Path,
        metavar="RESULTS",
        help="results from elsewhere to compare with: a folder of CSV, a workbook or an IFC file with results",
    )
    r.add_argument(
        "--design",
        type=Path,
        metavar="FILE",
        help="results of a design elsewhere by part or place, CSV or a workbook, to be held against [[limits]]",
    )
    r.add_argument(
        "--bare",
        action="store_true",
        help="with --against: carry nothing over from a baseline that is a project",
    )
    r.add_argument(
        "--snap", type=float, metavar="M", help="largest distance that transfer closes by itself, m"
    )
    r.add_argument("--settings", type=Path, metavar="FILE", help="settings of the review, TOML")
    r.add_argument("--xlsx", type=Path, metavar="FILE", help="all tables in one spreadsheet too")
    r.add_argument(
        "--junit", type=Path, metavar="FILE", help="findings as test results for build servers, JUnit XML"
    )
    r.add_argument(
        "--jobs",
        type=int,
        default=0,
        metavar="N",
        help="models of a folder that are reviewed at once; for --effects runs at once",
    )
    r.add_argument(
        "--ids",
        type=Path,
        metavar="FILE",
        help="hold the file against a specification of what it must deliver, IDS 1.0",
    )
    r.add_argument(
        "--effects",
        action="store_true",
        help="run the model again with each guess the other way and each finding mended: effects.csv",
    )
    r.add_argument("--quiet", action="store_true", help="print nothing but what went wrong")
    r.add_argument("--progress", action="store_true", help="say on standard error what is being done")
    x = sub.add_parser(
        "export", help="hand the analytical model back as IFC4, structural analysis domain, or take it off"
    )
    x.add_argument(
        "model",
        type=Path,
        metavar="MODEL",
        help="an IFC file, a model in tables, or a Rod Tally project file",
    )
    x.add_argument("--ifc", type=Path, metavar="FILE", help="the IFC file to write")
    x.add_argument(
        "--results", action="store_true", help="run the model and write its results into the IFC file too"
    )
    x.add_argument(
        "--tables",
        type=Path,
        metavar="PATH",
        help="the workbook (.xlsx), or the folder of CSV files, to write the model's tables to",
    )
    x.add_argument(
        "--physical",
        type=Path,
        metavar="FILE",
        help="the source IFC file again, with corrected sections, materials and places in the same elements",
    )
    x.add_argument("--takeoff", type=Path, metavar="FILE", help="the spreadsheet to write the take-off to")
    x.add_argument("--settings", type=Path, metavar="FILE", help="settings of the transfer, TOML")
    t = sub.add_parser("report", help="write the report of a review, or its findings for the modellers")
    t.add_argument(
        "model",
        type=Path,
        metavar="MODEL",
        help="an IFC file or a Rod Tally project file, whose decisions go in",
    )
    t.add_argument("--against", type=Path, metavar="BASELINE", help="the reviewed model to compare with")
    t.add_argument("--settings", type=Path, metavar="FILE", help="settings of the review, TOML")
    t.add_argument("--html", type=Path, metavar="FILE", help="the report as one HTML file")
    t.add_argument("--pdf", type=Path, metavar="FILE", help="the report on paper")
    t.add_argument(
        "--panels", type=Path, metavar="FILE", help="a sheet for each wall panel, .pdf or .html by the ending"
    )
    t.add_argument(
        "--bcf",
        type=Path,
        metavar="FILE",
        help="findings as topics, BCF 2.1, or 3.0 where the settings say so",
    )
    k = sub.add_parser("make", help="make a frame or a façade frame from parameters")
    k.add_argument("model", type=Path, metavar="RECIPE", help="the recipe, TOML")
    k.add_argument("--ifc", type=Path, required=True, metavar="FILE", help="the IFC file to write")
    d = sub.add_parser("demo", help="open the window with the demo project")
    d.add_argument(
        "--picture", type=Path, metavar="PNG", help="where the picture of the window goes without a display"
    )
    e = sub.add_parser("desktop", help="put the application into the desktop's menus")
    e.add_argument("--remove", action="store_true", help="take it out again")
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
    """The settings file, if one is named, else those that the project keeps, or the baseline's where that is
    a project and its work is carried over; with what the command line says over it."""
    from .model import Settings
    from .project.open import is_project, settings_at

    settings = Settings.read(arguments.settings) if arguments.settings else settings_at(arguments.model)
    against: Path | None = getattr(arguments, "against", None)
    kept = bool(arguments.settings) or is_project(arguments.model) or getattr(arguments, "bare", False)
    if against is not None and is_project(against) and not kept:
        settings = settings_at(against)
    snap = getattr(arguments, "snap", None)
    if snap is not None:
        Settings.from_dict({"transfer": {"snap": snap}}, "--snap")
        settings.transfer.snap = snap
    return settings


def review_command(arguments: argparse.Namespace) -> int:
    """Review, write the files, print a summary."""
    from .intake.design_results import read_design
    from .output.write import write_effects, write_expected, write_review
    from .project.open import is_project, review_path
    from .review.expected.expected import expected
    from .review.summary import summary
    from .review.work import attach_design, attach_elsewhere, attach_requirements

    if arguments.model.is_dir() and arguments.model.suffix.lower() not in SUFFIXES:
        return folder_command(arguments)
    report = progress_lines() if arguments.progress else silent
    settings = settings_of(arguments)
    if arguments.effects and settings.run.p_delta:
        return say("review: --effects compares linear runs; run.p_delta must be false for it")
    done = review_path(arguments.model, settings, arguments.against, report, arguments.bare)
    if arguments.elsewhere:
        attach_elsewhere(done, arguments.elsewhere)
    if arguments.design:
        attach_design(done, read_design(arguments.design, done.model))
    if arguments.ids:
        own = Path(done.model.source_file) if is_project(arguments.model) else arguments.model
        attach_requirements(done, own, arguments.ids)
    if arguments.effects:
        effects_of(done, arguments, report)
    write_review(done, arguments.out)
    if arguments.effects:
        write_effects(done.effects, arguments.out)
        write_expected(expected(done), arguments.out)
    if arguments.xlsx:
        from .output.spreadsheet import write_workbook

        write_workbook(done, arguments.xlsx)
    if arguments.junit:
        from .output.junit import write_junit

        write_junit(done, arguments.junit)
    if not arguments.quiet:
        print(summary(done))
    return 1 if done.blocking else 0


def effects_of(done: Review, arguments: argparse.Namespace, report: Progress) -> None:
    """Run a reviewed model again with each switch the other way, and keep what that changes."""
    from .intake import IntakeError, read_source
    from .model.source_file import source_of
    from .project.open import is_project
    from .review.effects.effects import effects

    path = source_of(done.model) if is_project(arguments.model) else arguments.model
    try:
        source = read_source(path)
    except IntakeError as error:
        source = None
        print(f"rod-tally: what transfer decides has no effects: {error}", file=sys.stderr)
    found = done.effects = effects(done, source, report, jobs=arguments.jobs or 1)
    for e in found:
        if e.fault:
            print(f"rod-tally: no run with {e.name} {e.is_}: {e.fault}", file=sys.stderr)
    if not arguments.quiet and found:
        single = [e for e in found if not e.both]
        first = max(single, key=lambda e: e.weight)
        what = f"{first.name} ({first.was} to {first.is_})"
        print(
            f"{len(single)} effects and {len(found) - len(single)} of two together; the largest: {what}, {len(first.parts)} parts beyond the tolerances"
        )


def progress_lines() -> Progress:
    """A progress call that writes a line on standard error for each thing that is begun."""
    last = [""]

    def report(text: str, share: float) -> None:
        if text != last[0]:
            last[0] = text
            print(f"{share:4.0%} {text}", file=sys.stderr, flush=True)

    return report


def folder_command(arguments: argparse.Namespace) -> int:
    """Review every model of a folder in processes of their own; exit status of the worst."""
    from .folder import Reviewed, models_in, review_folder, summary_files
    from .output.write import OutputError, write_text, write_whole

    for option in ("against", "elsewhere", "design", "xlsx", "junit", "ids", "effects"):
        if getattr(arguments, option) not in (None, False):
            return say(f"--{option} is for one model; {arguments.model} is a folder")
    models = models_in(arguments.model)
    if not models:
        return say(f"{arguments.model}: there is no model in this folder ({', '.join(SUFFIXES)})")
    settings_of(arguments)  # what is wrong with the settings is said once
    options = ["--settings", str(arguments.settings)] if arguments.settings else []
    options += [] if arguments.snap is None else ["--snap", str(arguments.snap)]

    def report(one: Reviewed) -> None:
        if not arguments.quiet:
            named = ((one.blocking, "blocking"), (one.warnings, "warning"), (one.notes, "note"))
            counts = ", ".join(f"{n} {w}{'s' if n != 1 and w != 'blocking' else ''}" for n, w in named)
            print(f"{one.model}: {one.message or counts}", flush=True)

    done = review_folder(models, arguments.out, options, arguments.jobs, report)
    for name, text in summary_files(done).items():
        try:
            arguments.out.mkdir(parents=True, exist_ok=True)
            write_whole(arguments.out / name, lambda p, t=text: write_text(p, t))  # type: ignore[misc]
        except OSError as error:
            raise OutputError(
                f"{arguments.out / name}: cannot be written: {error.strerror or error}"
            ) from error
    return max(one.status for one in done)


def report_command(arguments: argparse.Namespace) -> int:
    """Review and write it up; never over a source."""
    from .output.bcf import write_bcf
    from .output.panel_sheets import write_sheets
    from .output.report import write_html, write_pdf
    from .project.open import review_path

    files = arguments.html, arguments.pdf, arguments.panels, arguments.bcf
    wanted = [p for p in files if p is not None]
    if not wanted:
        return say("report: name a file with --html, --pdf, --panels or --bcf")
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
    if arguments.panels:
        print(f"{write_sheets(done, arguments.panels)} panels written to {arguments.panels}")
    if arguments.bcf:
        print(f"{len(done.findings)} findings written to {write_bcf(done, arguments.bcf)}")
    return 1 if done.blocking else 0


def export_command(arguments: argparse.Namespace) -> int:
    """Hand the model back as IFC, or take it off to a spreadsheet; never over its source."""
    from .model.source_file import source_of
    from .output.ifc import write_ifc
    from .output.ifc.corrected import write_corrected
    from .output.model_tables import write_model_tables
    from .output.spreadsheet import write_takeoff
    from .project.open import decided_at, model_at
    from .review.work import review

    wanted = [arguments.ifc, arguments.physical, arguments.tables, arguments.takeoff]
    wanted = [p for p in wanted if p is not None]
    if not wanted:
        return say("export: name a file with --ifc, --physical, --tables or --takeoff")
    model = model_at(arguments.model, settings_of(arguments))
    sources = [arguments.model, *([source_of(model)] if model.source_file else [])]
    for path in wanted:
        if path.exists() and any(p.exists() and path.samefile(p) for p in sources):
            return say(f"{path}: is the source itself, which is never changed; choose another name")
    if arguments.ifc:
        count = f"{len(model.members)} members and {len(model.surfaces)} surfaces"
        if arguments.results:
            done = review(model, settings_of(arguments))
            done.decisions, done.looks = decided_at(arguments.model)
            path = write_ifc(model, arguments.ifc, done.results, done.fields, done)
            count += f" with results of {len(done.results.cases)} cases and {len(done.findings)} findings"
        else:
            path = write_ifc(model, arguments.ifc)
        print(f"{count} written to {path}")
    if arguments.physical:
        print(write_corrected(model, arguments.physical).words)
    if arguments.tables:
        if (
            arguments.model.parent.exists()
            and arguments.tables.exists()
            and arguments.tables.samefile(arguments.model.parent)
        ):
            return say(f"{arguments.tables}: is the folder of the source itself; choose another one")
        path, lacking = write_model_tables(model, arguments.tables)
        print(f"tables written to {path}" + (f"; they do not hold {'; '.join(lacking)}" if lacking else ""))
    if arguments.takeoff:
        print(f"take-off written to {write_takeoff(model, arguments.takeoff)}")
    return 0


def desktop_command(arguments: argparse.Namespace) -> int:
    """Write or remove the desktop's entry, icon and file type."""
    from .desktop_entry import install

    try:
        for path in install(arguments.remove):
            print(f"{'removed' if arguments.remove else 'written'}: {path}")
    except OSError as error:
        return say(f"{error.filename}: cannot be written: {error.strerror}")
    return 0


def make_command(arguments: argparse.Namespace) -> int:
    """Make a model from a recipe and write it as IFC."""
    from .loads import Distribution
    from .loads.totals import case_total
    from .make import Recipe, make
    from .output.ifc import write_ifc

    if arguments.ifc.exists() and arguments.model.exists() and arguments.ifc.samefile(arguments.model):
        return say(f"{arguments.ifc}: is the recipe itself; choose another name")
    made = make(Recipe.read(arguments.model))
    path = write_ifc(made.model, arguments.ifc)
    print(f"{len(made.model.members)} members and {len(made.model.surfaces)} surfaces written to {path}")
    loads = Distribution(made.model)
    for case in made.model.cases.values():
        force = case_total(made.model, loads, case)[:3] / 1000
        sums = ", ".join(f"{v:.4g} kN along {axis}" for axis, v in zip("xyz", force + 0.0) if abs(v) > 1e-9)
        print(f"{case.name}: {sums or 'nothing in all'}")
    for note in made.notes:
        print(f"note: {note}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
