"""Commands of the window as data: menus, shortcuts and tests are made from this list."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from ...model import FIXED, FREE
from ...review import STEPS, Step

Window = Any  # the main window, which is made from this list
When = Callable[[Window], bool]


@dataclass(frozen=True, slots=True)
class Command:
    """`id` is stable and dotted. `when` says whether it can be used now. `help` is the line shown on hovering."""

    id: str
    title: str
    menu: str
    shortcut: str
    call: Callable[[Window], object]
    when: When
    help: str = ""
    separator: bool = False


def always(_w: Window) -> bool:
    return True


def opened(w: Window) -> bool:
    return w.state.review is not None


def idle(w: Window) -> bool:
    return bool(w.session.jobs.free)


def ready(w: Window) -> bool:
    return opened(w) and idle(w)


def picked(w: Window) -> bool:
    return opened(w) and w.state.picked is not None


def has_parts(w: Window) -> bool:
    return opened(w) and bool(w.state.chosen("member") or w.state.chosen("surface"))


def has_members(w: Window) -> bool:
    return opened(w) and bool(w.state.chosen("member"))


def has_surfaces(w: Window) -> bool:
    return opened(w) and bool(w.state.chosen("surface"))


def one_member(w: Window) -> bool:
    return opened(w) and len(w.state.chosen("member")) == 1


def has_case(w: Window) -> bool:
    return opened(w) and bool(w.state.review and w.state.review.model.cases)


def has_finding(w: Window) -> bool:
    return opened(w) and w.state.finding is not None


def plates_shown(w: Window) -> bool:
    return opened(w) and w.state.overlay == "plates"


def colours_shown(w: Window) -> bool:
    return opened(w) and w.state.overlay in ("plates", "stress")


def compared(w: Window) -> bool:
    return w.state.comparison is not None


# What a command needs that cannot be used now, in the order in which it is asked for.
NEEDS: dict[When, str] = {
    has_finding: "a chosen finding",
    has_members: "selected members",
    one_member: "one selected member",
    has_surfaces: "selected slabs or walls",
    has_parts: "selected members, slabs or walls",
    picked: "something selected",
    has_case: "a load case",
    plates_shown: "slab and wall forces on the screen",
    colours_shown: "forces or stresses in colours",
    compared: "a revision that is compared",
}


def _to(step: Step) -> Callable[[Window], object]:
    return lambda w: w.state.go(step)


def _alike(what: str) -> Callable[[Window], object]:
    return lambda w: w.corrections.select_alike(what)


COMMANDS: tuple[Command, ...] = (
    Command("file.take_in", "Take in a model…", "File", "Ctrl+O", lambda w: w.dialogs.ask_open(), idle,
            "Open an IFC file or a project; a model becomes the first revision of a new project"),
    Command("file.make", "A model from parameters…", "File", "", lambda w: w.pages.show_recipe(), lambda w: w.session.jobs.free,
            "A frame of bays and storeys, or a façade, with its picture; its recipe can be changed later"),
    Command("file.revision", "Take in a revision…", "File", "Ctrl+Shift+O", lambda w: w.dialogs.ask_revision(), ready,
            "Take in a revised model and compare it with the one before it"),
    Command("file.save_as", "Save project as…", "File", "Ctrl+Shift+S", lambda w: w.dialogs.ask_save(), ready,
            "Keep the project under a name of your own; every step is saved by itself in any case", True),
    Command("file.export", "Write the review's files…", "File", "Ctrl+E", lambda w: w.dialogs.ask_export(), ready,
            "review.json and the tables as CSV"),
    Command("file.model_tables", "Write the model as tables…", "File", "", lambda w: w.dialogs.ask_model_tables(), opened,
            "A workbook, or CSV files, with units in the headings; they can be taken in again"),
    Command("file.hand_back_results", "Hand back with results…", "File", "", lambda w: w.dialogs.ask_hand_back(True), ready,
            "Also reactions, displacements, forces of members, slabs and walls, a group for each case"),
    Command("file.hand_back", "Hand back as IFC…", "File", "Ctrl+Shift+E", lambda w: w.dialogs.ask_hand_back(), ready,
            "The analytical model as IFC4, structural analysis domain; the source is not touched"),
    Command("file.takeoff", "Write the take-off…", "File", "Ctrl+Shift+T", lambda w: w.dialogs.ask_takeoff(), ready,
            "Counts, lengths, areas, volumes and weights by class, section, material and storey, as a spreadsheet"),
    Command("file.workbook", "Write all tables as a spreadsheet…", "File", "", lambda w: w.dialogs.ask_workbook(), ready,
            "Every table of the review in one file, SI"),
    Command("file.report_page", "Report: chapters and pages…", "File", "", lambda w: w.pages.show_report(w.dialogs.ask_report), ready,
            "How much of each chapter, what stands on the title page, and the pages as they will be on paper"),
    Command("file.report", "Write the report…", "File", "", lambda w: w.dialogs.ask_report(), ready,
            "The review with its decisions as HTML or PDF, or its findings for the modellers as BCF"),
    Command("file.answers", "Read answers (BCF)…", "File", "", lambda w: w.dialogs.ask_answers(), ready,
            "What the modellers wrote to findings, put at them"),
    Command("file.table", "Write this table…", "File", "", lambda w: w.dialogs.ask_table(), opened,
            "The table in front as it is filtered, as a spreadsheet or CSV"),
    Command("file.pictures", "Standard pictures…", "File", "", lambda w: w.picture_desk.ask_standard(),
            lambda w: w.picture_desk.possible() and idle(w),
            "Each case displaced, its forces and reactions, kept views and places of findings, from where you look now"),
    Command("file.picture", "Keep a picture…", "File", "Ctrl+P", lambda w: w.picture_desk.ask_picture(), lambda w: w.picture_desk.possible(),
            "The view with its legend as a PNG or SVG file"),
    Command("file.rules", "Rules of taking in…", "File", "Ctrl+R", lambda w: w.pages.show_rules(), opened,
            "What comes along, how ends are joined, what holds bases, what is released; with a preview", True),
    Command("file.settings", "Read settings…", "File", "", lambda w: w.dialogs.ask_settings(), idle, "A TOML file"),
    Command("file.settings_write", "Write settings…", "File", "", lambda w: w.dialogs.write_settings(), always),
    Command("file.quit", "Quit", "File", "Ctrl+Q", lambda w: w.close(), always, "", True),
    Command("edit.undo", "Undo", "Edit", "Ctrl+Z", lambda w: w.session.undo.undo(),
            lambda w: w.session.undo.canUndo() and idle(w), "Take back the last decision or correction"),
    Command("edit.redo", "Redo", "Edit", "Ctrl+Y", lambda w: w.session.undo.redo(),
            lambda w: w.session.undo.canRedo() and idle(w)),
    Command("edit.find", "Find by name or number", "Edit", "Ctrl+F", lambda w: w.header.search.setFocus(), opened,
            "Members and nodes by name, number or id", True),
    Command("edit.copy_picture", "Copy the picture", "Edit", "Ctrl+Shift+C", lambda w: w.copy_picture(), opened),
    Command("view.3d", "In three dimensions", "View", "Ctrl+1", lambda w: w.look("3d"), opened),
    Command("view.plan", "Plan", "View", "Ctrl+2", lambda w: w.look("plan"), opened),
    Command("view.south", "From the south", "View", "Ctrl+3", lambda w: w.look("south"), opened),
    Command("view.east", "From the east", "View", "Ctrl+4", lambda w: w.look("east"), opened),
    Command("view.keep", "Keep this view…", "View", "", lambda w: w.picture_desk.ask_keep(),
            lambda w: w.picture_desk.possible(), "Direction, storeys, overlay, case and scale under a name, for all revisions", True),
    Command("view.forget", "Forget a kept view…", "View", "", lambda w: w.picture_desk.ask_forget(),
            lambda w: w.picture_desk.possible()),
    Command("view.tables", "All tables, or those of the step", "View", "F9", lambda w: w.tables.show_all_tables(),
            always),
    Command("view.tables_height", "Tables at a quarter, half, all of the height", "View", "Shift+F9", lambda w: w.layout_desk.next_height(), always),
    Command("view.tables_apart", "Tables in a window of their own", "View", "Ctrl+F9", lambda w: w.layout_desk.set_apart(), always,
            "On another screen for one; again, or closing it, puts them back"),
    Command("view.larger", "Larger text", "View", "Ctrl++", lambda w: w.layout_desk.larger_text(1), always),
    Command("view.smaller", "Smaller text", "View", "Ctrl+-", lambda w: w.layout_desk.larger_text(-1), always),
    Command("view.usual", "Text of the usual size", "View", "", lambda w: w.layout_desk.larger_text(0), always),
    Command("view.theme", "Theme…", "View", "", lambda w: w.layout_desk.ask_theme(), always, "Paper, dark or of high contrast; from the next start on"),
    Command("view.fit", "Zoom to everything", "View", "Ctrl+0", lambda w: w.look(w.view.direction), opened),
    Command("view.there", "Take me there", "View", "Ctrl+T", lambda w: w.view_desk.take_me_there(), picked,
            "Close in on what is picked", True),
    Command("view.next", "Next under the pointer", "View", "Ctrl+.", lambda w: w.view.picking.step(1),
            lambda w: w.view.picking.stacked > 1, "Step through members that lie on top of each other"),
    Command("view.previous", "Previous under the pointer", "View", "Ctrl+,", lambda w: w.view.picking.step(-1),
            lambda w: w.view.picking.stacked > 1),
    Command("view.isolate", "Isolate what is picked", "View", "Ctrl+I", lambda w: w.view_desk.isolate(), picked,
            "Show only this part and those it meets"),
    Command("view.isolate_line", "Isolate its stack, line or wall", "View", "Ctrl+Alt+I", lambda w: w.view_desk.isolate_line(False),
            has_parts, "The column stack, beam line or wall that the picked part belongs to"),
    Command("view.isolate_frame", "Isolate its frame", "View", "Ctrl+Alt+F", lambda w: w.view_desk.isolate_line(True), has_parts,
            "Everything in the upright plane of the grid line that the picked part stands in"),
    Command("view.isolate_chosen", "Isolate the selection", "View", "Ctrl+Alt+S", lambda w: w.view_desk.isolate_chosen(), has_parts),
    Command("view.section", "Section…", "View", "", lambda w: w.view_desk.ask_section(), opened,
            "What lies between two planes alone: at a grid line, a storey or a number"),
    Command("view.words", "Select by words…", "View", "Ctrl+Shift+W", lambda w: w.select_desk.ask_words(), opened,
            "Such as: columns of Level 2 with HE 200 B, or beams longer than 8 m", True),
    Command("view.invert", "Invert the selection", "View", "", lambda w: w.select_desk.invert(), has_parts,
            "The shown parts that are not selected"),
    Command("view.group", "Keep the selection as a group…", "View", "", lambda w: w.select_desk.ask_group(), has_parts,
            "Under a name, carried to revisions"),
    Command("view.take_group", "Select a group…", "View", "", lambda w: w.select_desk.ask_take(), opened),
    Command("view.dissolve", "Dissolve a group…", "View", "", lambda w: w.select_desk.ask_dissolve(), opened),
    Command("view.all", "Show everything", "View", "Ctrl+Shift+I", lambda w: w.view_desk.show_all(), opened, "", True),
    Command("view.surfaces", "Slabs and walls, shown or not", "View", "Ctrl+Shift+F",
            lambda w: w.state.show_surfaces(not w.state.surfaces), opened),
    Command("model.accept", "Accept the finding, because…", "Model", "Ctrl+Return", lambda w: w.accept(), has_finding,
            "Decide on the finding with a reason"),
    Command("model.again", "Make earlier corrections again", "Model", "", lambda w: w.session.correct_again(),
            lambda w: ready(w) and bool(w.session.before), "Those made to this source before, in one step"),
    Command("model.support", "Fixed support at what is selected", "Model", "Ctrl+B", lambda w: w.corrections.hold(FIXED), picked,
            "Nodes, the lower ends of members, the feet of walls", True),
    Command("model.free", "Free what is selected", "Model", "Ctrl+Shift+B", lambda w: w.corrections.hold(FREE), picked),
    Command("model.hold", "Support…", "Model", "", lambda w: w.hold_desk.ask_support(), picked,
            "Direction by direction: free, held, or a spring; turned in plan"),
    Command("model.hold_edges", "Held edges…", "Model", "", lambda w: w.hold_desk.ask_edges(), has_surfaces,
            "Line supports along chosen edges of slabs and walls, springs a metre"),
    Command("model.bed", "Ground under slabs and beams…", "Model", "", lambda w: w.hold_desk.ask_bed(), picked,
            "The modulus of subgrade reaction that the selected slabs or level members lie on"),
    Command("model.pin_start", "Pin or fix the start", "Model", "Ctrl+[", lambda w: w.corrections.pin(False), has_members,
            "Release the start of the selected members in bending, or fix it again"),
    Command("model.pin_end", "Pin or fix the end", "Model", "Ctrl+]", lambda w: w.corrections.pin(True), has_members),
    Command("model.release", "Releases…", "Model", "Ctrl+Shift+R", lambda w: w.hold_desk.ask_release(), has_members,
            "Of all selected members at once"),
    Command("model.section", "Section…", "Model", "", lambda w: w.corrections.ask_section(), has_members,
            "Another section for the selected members", True),
    Command("model.own_section", "A section of one's own…", "Model", "", lambda w: w.corrections.ask_own_section(), has_members,
            "A shape with its sizes, or plain values, for the selected members"),
    Command("model.material", "Material…", "Model", "", lambda w: w.corrections.ask_material(), has_parts),
    Command("model.elements", "Element size…", "Model", "", lambda w: w.plate_desk.ask_size(), has_surfaces,
            "Of the selected slabs and walls, for the next run", True),
    Command("model.thickness", "Thickness…", "Model", "", lambda w: w.corrections.ask_thickness(), has_surfaces),
    Command("model.map", "Map its profile…", "Model", "Ctrl+M", lambda w: w.map_picked(), one_member,
            "Take the picked member's profile as a section of the catalogue, and remember it"),
    Command("model.map_material", "Map its material…", "Model", "Ctrl+Shift+M",
            lambda w: w.corrections.ask_map_material(), has_parts,
            "Take the picked part's material as a grade, and remember it"),
    Command("model.join", "Join the first to the second", "Model", "Ctrl+J", lambda w: w.corrections.join(False),
            has_members, "Of two selected members: the nearer end of the first is brought to the second", True),
    Command("model.tie", "Tie the first to the second", "Model", "Ctrl+Shift+J", lambda w: w.corrections.join(True),
            has_members, "The end keeps its line and is tied by a rigid link"),
    Command("model.cross", "Join two that cross", "Model", "", lambda w: w.corrections.cross(), has_members),
    Command("model.keep_start", "Keep the start on its line", "Model", "", lambda w: w.corrections.keep(False, True),
            one_member, "Refuse the move of the start: tied by a rigid link instead"),
    Command("model.keep_end", "Keep the end on its line", "Model", "", lambda w: w.corrections.keep(True, True), one_member),
    Command("model.apart_start", "Keep the start apart", "Model", "", lambda w: w.corrections.keep(False, False),
            one_member, "Refuse the join: the start gets a node of its own, where the source has it"),
    Command("model.apart_end", "Keep the end apart", "Model", "", lambda w: w.corrections.keep(True, False), one_member),
    Command("model.add", "Add a member…", "Model", "", lambda w: w.add_desk.ask_member(), opened,
            "Between two places, or two selected nodes", True),
    Command("model.draw", "Draw members…", "Model", "", lambda w: w.draw_desk.members(), opened,
            "By two clicks each: nodes, corners, middles, crossings of grid lines, places along members"),
    Command("model.draw_slab", "Draw a slab…", "Model", "", lambda w: w.draw_desk.slab(), opened, "By its corners in the view"),
    Command("model.draw_wall", "Draw a wall…", "Model", "", lambda w: w.draw_desk.wall(), opened, "By the two ends of its foot in the view"),
    Command("model.paste", "Members from a table…", "Model", "", lambda w: w.add_desk.paste_members(), opened,
            "Ends by coordinates or nodes, with sections, pasted from a spreadsheet"),
    Command("model.add_slab", "Add a slab…", "Model", "", lambda w: w.surface_desk.ask_slab(), opened,
            "Between selected nodes, or a rectangle on a level"),
    Command("model.add_wall", "Add a wall…", "Model", "", lambda w: w.surface_desk.ask_wall(), opened,
            "Between two places in plan, from one level to another"),
    Command("model.drawing", "Parts from a drawing…", "Model", "", lambda w: w.add_desk.ask_drawing(), opened,
            "Grid lines, columns, beams, slabs and walls of a plan (DXF), by its layers"),
    Command("model.open", "Cut an opening…", "Model", "", lambda w: w.surface_desk.ask_opening(), has_surfaces,
            "In the picked slab or wall"),
    Command("model.close", "Close an opening…", "Model", "", lambda w: w.surface_desk.ask_close(), has_surfaces,
            "Of the picked slab or wall"),
    Command("model.copy", "Copy what is selected…", "Model", "", lambda w: w.add_desk.ask_copy(), has_parts,
            "Members, slabs and walls to other storeys, or along a row"),
    Command("model.mirror", "Mirror what is selected…", "Model", "", lambda w: w.add_desk.ask_mirror(), has_parts,
            "Members, slabs and walls in an upright plane"),
    Command("model.offset", "Offset of an end…", "Model", "", lambda w: w.add_desk.ask_offset(), has_members,
            "An end beside its node, by a rigid link"),
    Command("model.move", "Move nodes…", "Model", "", lambda w: w.corrections.ask_move(), picked, "", True),
    Command("model.split", "Split…", "Model", "", lambda w: w.corrections.ask_split(), one_member),
    Command("model.merge", "Merge two", "Model", "", lambda w: w.corrections.merge(), has_members),
    Command("model.reverse", "Turn end for end", "Model", "", lambda w: w.corrections.reverse(), has_members),
    Command("model.turn", "Turn local axes…", "Model", "", lambda w: w.corrections.ask_turn(), has_parts),
    Command("model.delete", "Delete what is selected", "Model", "Del", lambda w: w.corrections.delete(), has_parts,
            "From the model only; the source is never changed"),
    *(
        Command(f"edit.alike_{what}", title, "Edit", "", _alike(what), has_parts,
                "Of the picked part's class", what == "section")
        for what, title in (("section", "Select all of its section"), ("material", "Select all of its material"),
                            ("storey", "Select all of its storey"), ("line", "Select its line"))
    ),
    Command("loads.next", "Next load case", "Loads", "Ctrl+Right", lambda w: w.step_case(1), opened),
    Command("loads.previous", "Previous load case", "Loads", "Ctrl+Left", lambda w: w.step_case(-1), opened),
    Command("loads.looked", "Looked at this case; the next", "Loads", "Ctrl+K", lambda w: w.look_at_case(), has_case),
    Command("loads.put_on", "Show what was put on", "Loads", "Ctrl+Alt+P", lambda w: w.show_overlay("loads", "loads"), opened,
            "Loads as they were put on nodes, members, areas and places", True),
    Command("loads.arrived", "Show what arrived", "Loads", "Ctrl+Alt+A", lambda w: w.show_overlay("arrived", "cases"), opened,
            "What members get from slabs and from areas on members, and what is not carried, where it lies"),
    Command("loads.new", "New case…", "Loads", "Ctrl+Alt+N", lambda w: w.load_desk.ask_new(), opened, "", True),
    Command("loads.change", "Name and kind of this case…", "Loads", "Ctrl+Alt+K", lambda w: w.load_desk.ask_change(),
            has_case, "Its kind decides which combinations it enters"),
    Command("loads.paste_cases", "Cases from a table…", "Loads", "", lambda w: w.load_desk.paste_cases(), opened,
            "Pasted from a spreadsheet; errors are reported by row and column"),
    Command("loads.weight", "Self-weight in this case only", "Loads", "", lambda w: w.load_desk.hold_weight(), has_case),
    Command("loads.turn", "Turn the sign of this case", "Loads", "", lambda w: w.load_desk.turn(), has_case),
    Command("loads.scale", "Multiply this case…", "Loads", "", lambda w: w.load_desk.ask_scale(), has_case,
            "Such as 1/1.5, when the source multiplied it already"),
    Command("loads.delete", "Delete this case", "Loads", "", lambda w: w.load_desk.delete(), has_case),
    Command("loads.put", "Load on what is selected…", "Loads", "Ctrl+Shift+L", lambda w: w.load_desk.ask_load(), picked,
            "Nodes, members or slabs", True),
    Command("loads.paste", "Loads from a table…", "Loads", "Ctrl+Alt+V", lambda w: w.load_desk.paste_loads(), has_case,
            "On nodes, members, slabs, free areas, areas on members, lines and points in space"),
    Command("loads.temperature", "Temperature of what is selected…", "Loads", "", lambda w: w.load_desk.ask_temperature(),
            has_members),
    Command("loads.settlement", "Settlement of selected supports…", "Loads", "", lambda w: w.load_desk.ask_settlement(),
            picked),
    Command("loads.remove", "Take its loads off what is selected", "Loads", "", lambda w: w.load_desk.remove_loads(),
            has_case, "Those of the shown case"),
    Command("loads.span", "Span of selected slabs…", "Loads", "", lambda w: w.load_desk.ask_span(), has_surfaces,
            "By yield lines, or one way"),
    Command("loads.patterns", "Patterns of this case", "Loads", "", lambda w: w.load_desk.make_patterns(), has_case,
            "Alternate and adjacent spans in both directions, as cases that exclude each other", True),
    Command("loads.notional", "Notional horizontal loads…", "Loads", "", lambda w: w.load_desk.ask_notional(), has_case,
            "A share of the vertical load at every node, along x and y both ways"),
    Command("loads.storeys", "Storey forces from a table…", "Loads", "", lambda w: w.load_desk.ask_storeys(), has_case),
    Command("loads.wind_en", "Wind by EN 1991-1-4…", "Loads", "", lambda w: w.load_desk.ask_wind("EN"), has_case,
            "Along x and y both ways, as forces at the storeys or as pressures on the faces"),
    Command("loads.wind_asce", "Wind by ASCE 7…", "Loads", "", lambda w: w.load_desk.ask_wind("ASCE"), has_case),
    Command("loads.lateral_en", "Lateral forces by EN 1998-1…", "Loads", "", lambda w: w.load_desk.ask_lateral("EN"), has_case,
            "Equivalent static forces at the centre of mass, with an eccentricity to either side"),
    Command("loads.lateral_asce", "Lateral forces by ASCE 7…", "Loads", "", lambda w: w.load_desk.ask_lateral("ASCE"), has_case),
    Command("loads.spectrum_en", "Response spectrum by EN 1998-1…", "Loads", "", lambda w: w.load_desk.ask_spectrum("EN"),
            has_case, "Two cases that the run computes from the modes"),
    Command("loads.spectrum_asce", "Response spectrum by ASCE 7…", "Loads", "", lambda w: w.load_desk.ask_spectrum("ASCE"), has_case),
    Command("loads.spectrum_paste", "Response spectrum from a table…", "Loads", "", lambda w: w.load_desk.paste_spectrum(), has_case),
    Command("loads.mass", "Mass and modes…", "Loads", "", lambda w: w.load_desk.ask_mass(), has_case,
            "Which cases give mass, and how many modes are found"),
    Command("loads.combine", "Combinations…", "Loads", "Ctrl+Alt+C", lambda w: w.load_desk.combine(), has_case,
            "By EN 1990, ASCE 7 or a rule file; the count is shown before they are made", True),
    Command("run.run", "Run", "Run", "F5", lambda w: w.session.runs.again(), ready,
            "All cases; kept beside the earlier runs"),
    Command("run.choose", "Runs…", "Run", "Shift+F5", lambda w: w.pages.show_runs(), opened,
            "Chosen cases or a part, under a name; and the runs that are kept"),
    Command("run.animate", "Animate the shape", "Run", "Ctrl+Shift+A", lambda w: w.view.animate(not w.view.animated),
            lambda w: opened(w) and w.state.overlay in ("displaced", "modes", "motions"), "To and fro, or at rest again", True),
    Command("run.larger", "Larger displacements", "Run", "Ctrl+Alt++", lambda w: w.state.set_view(scale=w.state.scale * 2), opened),
    Command("run.smaller", "Smaller displacements", "Run", "Ctrl+Alt+-", lambda w: w.state.set_view(scale=w.state.scale / 2), opened),
    Command("run.own_scale", "Scale of displacements…", "Run", "", lambda w: w.response_desk.ask_scale(), opened,
            "How many times larger than they are"),
    Command("run.scale", "Scale that suits the building", "Run", "Ctrl+Alt+0", lambda w: w.state.set_view(scale=1.0, times=0.0), opened),
    Command("run.motions", "What moves freely", "Run", "Ctrl+Alt+Y", lambda w: w.response_desk.show_motion(), opened,
            "The motions without resistance that the run found, one after the other"),
    Command("run.largest", "The largest displacement", "Run", "Ctrl+Shift+G", lambda w: w.response_desk.go_to_largest(), opened,
            "Show it, and close in on it"),
    Command("run.storeys", "Storey forces and drift", "Run", "Ctrl+Shift+K", lambda w: w.tables.show_table("storeys"), opened),
    Command("run.storey_cuts", "Equilibrium between storeys", "Run", "", lambda w: w.tables.show_table("storeys", 1), opened,
            "What columns, walls and braces give the part of the building above them, beside its loads"),
    Command("run.node", "Equilibrium at this node", "Run", "", lambda w: w.tables.show_table("reactions", 1), opened,
            "What everything that meets at the picked node gives it"),
    Command("run.member", "Page of this member", "Run", "Ctrl+Alt+G", lambda w: w.response_desk.show_member(), one_member,
            "All components along it, the band of all combinations, displacement between its ends, its loads"),
    Command("run.stacks", "Axial force down the stacks", "Run", "", lambda w: w.tables.show_table("forces", 1), opened,
            "Column by column from the top, with what comes in at each storey"),
    Command("run.centres", "Centres of mass and stiffness", "Run", "", lambda w: w.response_desk.show_centres(), opened,
            "Of each storey, and whether horizontal forces turn it"),
    Command("run.modes", "Modes", "Run", "Ctrl+Alt+M", lambda w: w.show_overlay("modes", "modes"), opened,
            "Periods, mass that moves, shapes"),
    Command("run.elements", "Elements", "Run", "Ctrl+Alt+X", lambda w: w.show_overlay("mesh", "findings"), opened,
            "The elements of slabs and walls, poor ones marked"),
    Command("run.plates", "Slab and wall forces", "Run", "Ctrl+Alt+W", lambda w: w.show_overlay("plates", "surface_forces"), opened,
            "Forces, moments and stresses in bands of colour; Force above the view chooses which"),
    Command("run.range", "Range of colours…", "Run", "Ctrl+Alt+R", lambda w: w.plate_desk.ask_range(), colours_shown,
            "Who exceeds: what lies beyond is drawn in ink"),
    Command("run.averaged", "Averaged over lines", "Run", "", lambda w: w.plate_desk.toggle_averaged(), plates_shown,
            "Or each side of walls and beams by itself", True),
    Command("run.plates_high", "Highest of all combinations", "Run", "", lambda w: w.plate_desk.show_over("highest"), plates_shown,
            "In place of the case, and which combination gives it; again for the case"),
    Command("run.plates_low", "Lowest of all combinations", "Run", "", lambda w: w.plate_desk.show_over("lowest"), plates_shown),
    Command("run.principal", "Principal directions", "Run", "", lambda w: w.plate_desk.toggle_crosses(), plates_shown, "", True),
    Command("run.floors", "Rigid floors…", "Run", "", lambda w: w.plate_desk.ask_floors(), ready,
            "Storeys that move in plan as one, whatever their slabs are; for the next run", True),
    Command("run.stiff", "Selected slabs stiffen their storey", "Run", "", lambda w: w.plate_desk.stiffen(True), has_surfaces,
            "Slabs that hand their loads on, as rigid floors"),
    Command("run.slack", "Selected slabs stiffen nothing", "Run", "", lambda w: w.plate_desk.stiffen(False), has_surfaces),
    Command("model.tension", "Selected members act in tension only", "Model", "", lambda w: w.corrections.one_way("tension"), has_members,
            "With Run, One-way parts act one way", True),
    Command("model.compression", "Selected members act in compression only", "Model", "", lambda w: w.corrections.one_way("compression"), has_members),
    Command("model.both_ways", "Selected members act both ways", "Model", "", lambda w: w.corrections.one_way(""), has_members),
    Command("model.lifting", "Selected supports can lift off", "Model", "", lambda w: w.corrections.lifting(True), picked,
            "They, or the ground and held edges of selected slabs and walls, push upwards and do not pull"),
    Command("model.no_lifting", "Selected supports hold both ways", "Model", "", lambda w: w.corrections.lifting(False), picked),
    Command("run.one_way", "One-way parts act one way, or both", "Run", "", lambda w: w.plate_desk.toggle_one_way(), ready,
            "For the next run: each case by itself, none are added up", True),
    Command("loads.of_combinations", "Cases of combinations", "Loads", "", lambda w: w.load_desk.cases_of_combinations(),
            ready, "A load case of each combination, for a run whose cases cannot be added up"),
    Command("run.cuts", "Cuts across a floor…", "Run", "Ctrl+Alt+B", lambda w: w.cut_desk.ask_floor(), opened,
            "Regular cuts; N, V and M of each for any case", True),
    Command("run.wall_cut", "Cut through a wall…", "Run", "", lambda w: w.cut_desk.ask_wall(), has_surfaces),
    Command("run.move_cut", "Move a cut…", "Run", "", lambda w: w.cut_desk.ask_move(), opened),
    Command("run.cuts_again", "Cuts on another storey…", "Run", "", lambda w: w.cut_desk.ask_again(), opened),
    Command("run.print_cuts", "Cuts on paper…", "Run", "", lambda w: w.cut_desk.ask_print(), opened,
            "Plans with diagrams of shear and moment, and tables, as a PDF; of the shown case"),
    Command("run.delete_cuts", "Delete cuts", "Run", "", lambda w: w.cut_desk.delete(), opened,
            "Of the selected surfaces, or all"),
    Command("run.envelope", "Envelope of forces", "Run", "Ctrl+Alt+E", lambda w: w.show_overlay("envelope", "envelope"), opened,
            "The lowest and highest of a force over all combinations, and which gives it"),
    Command("run.settings", "Settings of runs and comparisons…", "Run", "", lambda w: w.layout_desk.ask_run(), opened,
            "Elements, places along members, modes, rules of combinations, what counts as changed", True),
    Command("run.cancel", "Cancel", "Run", "Esc", lambda w: (w.view.pointing.stop(), w.picture_desk.stop(), w.session.jobs.cancel()),
            lambda w: w.session.jobs.busy or w.picture_desk.busy or w.view.pointing.active, "Stop what is running; nothing is changed"),
    Command("compare.change", "Show changes", "Compare", "Ctrl+D", lambda w: w.show_overlay("change", "changes"),
            compared),
    Command("compare.carried", "What is carried over…", "Compare", "", lambda w: w.pages.show_carried(),
            lambda w: w.state.review is not None and w.state.review.carried is not None,
            "What was made for the revision before: where it goes, and which of it is left out"),
    Command("compare.beside", "The reviewed revision beside this one", "Compare", "Ctrl+Alt+2", lambda w: w.show_beside(), opened,
            "Both in one camera, at one scale; again takes it away"),
    Command("compare.parity", "Plot before against after", "Compare", "Ctrl+Shift+D", lambda w: w.show_parity(),
            compared),
    Command("compare.again", "Show parts to look at again", "Compare", "", lambda w: w.show_overlay("change", "again"),
            compared, "New over accepted demand, one number a part, the largest first"),
    Command("compare.why", "Why has it changed…", "Compare", "", lambda w: w.why_desk.ask(),
            lambda w: w.why_desk.possible() and idle(w), "A value of the picked part or node, or a sum: its change split into causes"),
    Command("compare.elsewhere", "Results from elsewhere…", "Compare", "", lambda w: w.dialogs.ask_elsewhere(),
            lambda w: w.state.review is not None and w.state.review.has_run and not w.state.review.stale and idle(w),
            "Displacements, reactions and member forces of another source against ours", True),
    Command("compare.design", "Design results of this revision…", "Compare", "", lambda w: w.dialogs.ask_design(), ready,
            "Utilisations, required reinforcement or the like of parts, from a table: shown before and after"),
    Command("compare.pair", "Pair with a part of the baseline…", "Compare", "", lambda w: w.pair_desk.ask(),
            lambda w: w.pair_desk.possible() and idle(w), "Where the comparison paired it wrongly, or not at all", True),
    Command("compare.new", "Call it new", "Compare", "", lambda w: w.pair_desk.call_new(),
            lambda w: w.pair_desk.possible() and idle(w), "It is no part of the baseline, whatever lies there"),
    Command("compare.leave", "Leave its pairing to the comparison", "Compare", "", lambda w: w.pair_desk.leave(),
            lambda w: w.pair_desk.possible() and idle(w)),
    Command("help.units", "Other units", "View", "Ctrl+U", lambda w: w.next_units(), always, "", True),
    Command("help.log", "Transfer log", "Help", "Ctrl+L", lambda w: w.tables.show_table("log"), opened,
            "What was moved, guessed and skipped on the way in"),
    Command("help.step", "Help on this step", "Help", "F1", lambda w: w.pages.show_help(), always, "What is done here and how"),
    Command("help.walk", "A first walk, in six steps", "Help", "", lambda w: w.pages.show_topic("first-walk"), always,
            "Through the demo, from its tally to its report"),
    Command("help.demo", "Open the demo", "Help", "", lambda w: w.session.open_demo(), idle, "A sail loft in two revisions, as it was left"),
    Command("help.keys", "All commands and shortcuts", "Help", "", lambda w: w.pages.show_help(True), always),
    Command("help.change_key", "Change a shortcut…", "Help", "", lambda w: w.shortcuts.ask(), always,
            "Another key for a command, remembered on this machine"),
    Command("help.find", "Find a command…", "Help", "F3", lambda w: w.pages.find_command(), always,
            "By its title, by what it does, or by other words for it"),
    Command("help.about", "About Rod Tally", "Help", "", lambda w: w.dialogs.about(), always, "", True),
    *(
        Command(f"round.{s.name.lower()}", s.name, "Steps", f"Alt+{k}", _to(s), opened, f"Take the step {s.name}")
        for k, s in enumerate(STEPS, 1)
    ),
)  # fmt: skip
MENUS = ("File", "Edit", "View", "Steps", "Model", "Loads", "Run", "Compare", "Help")
