"""All commands of the window as data: where it stands, its name, its key, when it can be given, what it does.

The one place where shortcuts are given. Menus, context menus, the finder and the overview of shortcuts are made from
this list. What a command does is a method of `actions.Actions`; what depends on the session (a bus to send to, an
output to play to) is a command too, made when it is asked for (`present_commands`).
"""

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from all_even import stages, texts
from all_even.app.commands.command import (
    CARD,
    LANES,
    STRIP,
    Command,
    always,
    can_redo,
    can_undo,
    is_lost,
    is_open,
    is_selected,
)
from all_even.app.commands.rows import row_commands
from all_even.app.lanes.entries import entry
from all_even.session.editing.anew import mix_anew

if TYPE_CHECKING:
    from all_even.app.desk import Desk
    from all_even.app.verbs.actions import Actions
    from all_even.app.verbs.page import PageVerbs


def song(change: str) -> "Callable[[Actions], object]":
    """Puts the song's time right."""
    return lambda actions: actions.time.change(change)


def on_page(verb: "Callable[[PageVerbs], object]") -> "Callable[[Actions], object]":
    """Something on the working page."""
    return lambda actions: actions.on_page(verb)


def go_to(stage: str, actions: "Actions") -> None:
    actions.desk.set_stage(stage)


def all_commands() -> "list[Command[Actions]]":
    """Every command that is always there, in the order of its menu; those of a stage behind the general ones."""
    from all_even.app.stages import VIEWS

    own = [command for stage in stages.STAGES for command in VIEWS[stage.key].commands]
    return [
        Command("File", "Open a folder …", "Ctrl+O", lambda a: a.files.ask_folder(), always),
        Command("File", "Open a session …", "Ctrl+Shift+O", lambda a: a.files.ask_session(), always),
        Command("File", "Open the demo", "Ctrl+D", lambda a: a.desk.documents.open_demo(), always),
        Command("File", "Add files …", "Ctrl+Shift+A", lambda a: a.files.ask_files(), at=LANES, words="import tracks"),
        Command(
            "File",
            "Replace the file …",
            "",
            lambda a: a.files.replace_file(),
            is_selected,
            LANES,
            words="swap take exchange",
        ),
        Command(
            "File",
            "Add references …",
            "",
            lambda a: a.files.add_references(),
            always,
            words="finished mixes compare",
            id="references.add",
        ),
        Command("File", "Forget the references", "", lambda a: a.files.forget_references(), always),
        Command("File", "Save", "Ctrl+S", lambda a: a.files.save()),
        Command("File", "Save as …", "Ctrl+Shift+S", lambda a: a.files.save_as(), id="save-as"),
        Command("File", "Save as a template …", "", lambda a: a.files.save_template(), words="chains groups roles"),
        Command("File", "Rename the song …", "", lambda a: a.files.rename_song()),
        Command("File", "Empty the cache of decoded sound", "", lambda a: a.files.empty_cache(), always),
        Command("File", "Close the session", "Ctrl+W", lambda a: a.frame.close_session()),
        Command("File", "Quit", "Ctrl+Q", lambda a: a.frame.close(), always),
        Command("Edit", "Undo", "Ctrl+Z", lambda a: a.desk.undo(), can_undo, says=_undo_says),
        Command("Edit", "Redo", "Ctrl+Shift+Z", lambda a: a.desk.redo(), can_redo, says=_redo_says),
        Command("Edit", "Find anything …", "Ctrl+F", lambda a: a.frame.show_finder(), always, words="search go to"),
        Command(
            "Edit",
            "Filter the tracks",
            "Ctrl+K",
            on_page(lambda p: p.filter_lanes()),
            words="search name finding state",
        ),
        Command("Edit", "Copy the strip", "Ctrl+C", lambda a: a.strips.copy_strip(), is_selected, LANES),
        Command("Edit", "Paste its chain", "Ctrl+V", lambda a: a.strips.paste("chain"), is_selected, LANES),
        Command("Edit", "Paste its sends", "Ctrl+Shift+V", lambda a: a.strips.paste("sends"), is_selected, LANES),
        Command("Edit", "Paste its level and pan", "Ctrl+Alt+V", lambda a: a.strips.paste("level"), is_selected, LANES),
        Command("Edit", "Write a note", "N", on_page(lambda p: p.write_note()), at=STRIP),
        Command("Edit", "Take a snapshot", "Ctrl+T", on_page(lambda p: p.name_snapshot())),
        Command(
            "Edit", "Make the move", "Ctrl+Return", on_page(lambda p: p.on_card("make")), at=CARD, words="apply card"
        ),
        Command("Edit", "Change the move", "", on_page(lambda p: p.on_card("set")), at=CARD, words="card parameters"),
        Command("Edit", "Decline the move", "", on_page(lambda p: p.on_card("refuse")), at=CARD, words="card"),
        Command("Edit", "Settings", "Ctrl+,", lambda a: a.frame.show_page("settings"), always, words="preferences"),
        Command(
            "Edit",
            "Approaches",
            "",
            lambda a: a.frame.show_page("approaches"),
            always,
            words="schools ways of working colour punch pocket thicken cabinet voicings",
        ),
        Command("Tracks", "Rename", "Shift+R", on_page(lambda p: p.rename()), is_selected, LANES),
        Command("Tracks", "Select all", "Ctrl+A", on_page(lambda p: p.select_all())),
        Command("Tracks", "Select the family", "Ctrl+G", on_page(lambda p: p.select_family()), is_selected, LANES),
        Command("Tracks", "Mute", "M", on_page(lambda p: p.toggle("mute")), is_selected, LANES),
        Command("Tracks", "Solo", "S", on_page(lambda p: p.toggle("solo")), is_selected, LANES),
        Command("Tracks", "No solo", "Shift+S", lambda a: a.strips.clear_solo(), at=LANES),
        Command("Tracks", "Invert polarity", "P", on_page(lambda p: p.toggle("polarity_inverted")), is_selected, LANES),
        Command("Tracks", "Hide or show", "H", on_page(lambda p: p.toggle("hidden")), is_selected, LANES),
        Command(
            "Tracks",
            "First mix",
            "Ctrl+M",
            lambda a: a.frame.show_page("first-mix"),
            words="automatic all stages default moves whole",
            id="first-mix",
        ),
        Command(
            "Tracks",
            "Mix finished stems anew",
            "",
            lambda a: a.desk.edit(mix_anew, text="These stems are to be mixed anew"),
            is_open,
            words="stems of a finished mix",
            id="mix-anew",
        ),
        Command(
            "Tracks",
            "Who is who",
            "Ctrl+I",
            lambda a: a.frame.show_page("who-is-who"),
            words="roles unknown names identify",
            id="who-is-who",
        ),
        Command(
            "Tracks",
            "Print with its inserts and go on",
            "",
            lambda a: a.strips.print_and_go_on(),
            is_selected,
            LANES,
            words="freeze bounce commit render file",
        ),
        Command(
            "Tracks",
            "Take a processed file back …",
            "",
            lambda a: a.strips.take_back(a.files.choose_processed),
            is_selected,
            LANES,
            words="round trip outboard return send out align",
        ),
        Command(
            "Tracks",
            "Through an outside device and back …",
            "",
            lambda a: a.frame.show_page("outside"),
            is_selected,
            LANES,
            words="round trip outboard hardware insert click delay input record",
        ),
        Command(
            "Tracks",
            "Keep its chain under a name …",
            "",
            lambda a: a.strips.keep_chain(a.dialogs.type_over_song),
            is_selected,
            LANES,
            words="preset inserts save library",
        ),
        Command(
            "Tracks",
            "Level and mute at rest",
            "",
            lambda a: a.strips.at_rest(),
            at=LANES,
            words="reset faders zero unmute all",
        ),
        Command("Tracks", "Measure what is missing", "", lambda a: a.desk.figures.measure_lanes()),
        Command("Play", "Play or stop", "Space", lambda a: a.desk.ears.toggle_play(), at=STRIP),
        Command("Play", "To the start", "Home", lambda a: a.to_start(), at=STRIP),
        Command("Play", "Loop", "L", lambda a: a.toggle_loop(), at=STRIP, words="repeat section"),
        Command("Play", "Follow", "F", on_page(lambda p: p.follow()), at=STRIP),
        Command("Play", "Compare two versions", "X", on_page(lambda p: p.compare())),
        Command("Play", "Hear the state now", "Shift+X", lambda a: a.desk.ears.hear_now()),
        Command(
            "Play",
            "Faders alone, or as it is",
            "Y",
            on_page(lambda p: p.hear_without("everything")),
            words="without inserts processing bypass all compare",
        ),
        Command(
            "Play",
            "Without EQ, or as it is",
            "",
            on_page(lambda p: p.hear_without("equalisers")),
            words="bypass eq compare",
        ),
        Command(
            "Play",
            "Without dynamics, or as it is",
            "",
            on_page(lambda p: p.hear_without("dynamics")),
            words="bypass compressors compare",
        ),
        Command(
            "Play",
            "Without sends, or as it is",
            "",
            on_page(lambda p: p.hear_without("sends")),
            words="bypass reverb compare",
        ),
        Command("Play", "Tap the tempo", "J", lambda a: a.time.tap(), at=STRIP, words="bpm beat"),
        Command("Play", "Type the tempo", "Shift+J", lambda a: a.time.type_tempo(), at=STRIP, words="bpm"),
        Command(
            "Play",
            "Tempo from a MIDI file …",
            "",
            lambda a: a.time.tempo_from_midi(),
            at=STRIP,
            words="bpm bars import",
        ),
        Command("Play", "Tempo as it was found", "", song("tempo as found"), at=STRIP, words="bpm"),
        Command("Play", "Bars begin a beat later", "", song("bars later"), at=STRIP, words="downbeat one"),
        Command("Play", "Bars begin a beat earlier", "", song("bars earlier"), at=STRIP, words="downbeat"),
        Command("Play", "A section begins here", "Shift+N", song("split"), at=STRIP, words="verse chorus"),
        Command("Play", "Name the section", "", lambda a: a.time.name_section(), at=STRIP, words="verse chorus rename"),
        Command("Play", "Join the section to the one before", "", song("join"), at=STRIP, words="remove"),
        Command("Play", "Sections as they were found", "", song("sections as found"), at=STRIP),
        Command("Play", "Return to the lost output", "", lambda a: a.desk.ears.reopen(), is_lost),
        *(
            Command("View", stage.name, f"F{index}", partial(go_to, stage.key), always, words="stage go to")
            for index, stage in enumerate(stages.STAGES, 1)
        ),
        Command("View", "What is next", "G", on_page(lambda p: p.go_on())),
        Command("View", "Mark the stage done", "K", lambda a: a.tick_off()),
        Command("View", "Moves", "Ctrl+1", on_page(lambda p: p.show_tab(0))),
        Command("View", "Ledger", "Ctrl+2", on_page(lambda p: p.show_tab(1))),
        Command("View", "Notes", "Ctrl+3", on_page(lambda p: p.show_tab(2))),
        Command("View", "Versions", "Ctrl+4", on_page(lambda p: p.show_tab(3))),
        Command("View", "Hidden tracks", "Ctrl+H", on_page(lambda p: p.toggle_hidden_lanes()), at=LANES),
        *row_commands(),
        Command("View", "Closer into the song", "Ctrl+=", on_page(lambda p: p.zoom(2.0)), at=STRIP, words="zoom in"),
        Command("View", "Further from the song", "Ctrl+-", on_page(lambda p: p.zoom(0.5)), at=STRIP, words="zoom out"),
        Command("View", "The whole song", "Ctrl+0", on_page(lambda p: p.zoom(0.0)), at=STRIP, words="zoom all fit"),
        Command(
            "View",
            "Songs of one record",
            "Ctrl+Shift+R",
            lambda a: a.frame.show_page("record"),
            always,
            words="album compare side by side",
        ),
        Command("View", "Blind comparison", "", lambda a: a.frame.show_page("blind"), words="abx vote", id="blind"),
        Command("View", "Day or night", "Ctrl+Shift+D", lambda a: a.frame.switch_theme(), always, words="theme dark"),
        Command("View", "Stop what is being done", "Esc", lambda a: a.frame.stop(), always),
        Command("Help", "Tour", "", lambda a: a.frame.begin_tour(), always, words="introduction first steps"),
        Command(
            "Help", "Words", "", lambda a: a.frame.show_page("words"), always, words="glossary terms meaning language"
        ),
        Command("Help", "Shortcuts", "Ctrl+/", lambda a: a.frame.show_page("shortcuts"), always, words="keys"),
        Command("Help", "About All Even", "", lambda a: a.frame.show_page("about"), always, words="version licence"),
        *own,
    ]


def present_commands(desk: "Desk") -> "list[Command[Actions]]":
    """Commands that name something of this session or machine: buses to lead or send to, outputs to play to."""
    found = [
        Command(
            "Play",
            output.name,
            "",
            partial(_play_to, output.key),
            always,
            under="Output",
            words="output device",
            marked=partial(_is_output, output.key),
        )
        for output in desk.ears.outputs.known
    ]
    found += [
        Command(
            "Play", text, "", partial(_buffer, frames), always, under="Buffer", words="output buffer latency",
            marked=partial(_is_buffer, frames),
        )
        for frames, text in BUFFERS.items()
    ]  # fmt: skip
    if not desk.is_open:
        return found
    from all_even.session.machine import template
    from all_even.session.model.strips import MIX

    found += [
        Command(
            "File",
            item.name,
            "",
            partial(_set_up_like, item.name),
            is_open,
            under="Set up like",
            words="template apply",
        )
        for item in template.known()
    ]
    goals = [(bus.id, bus.name) for bus in desk.session.buses]
    found += [
        Command("Tracks", f"Route to {name}", "", partial(_lead, goal), is_selected, LANES, "Route to")
        for goal, name in [*goals, (MIX, "the mix")]
    ]
    from all_even.session.machine import chains

    role = getattr(entry(desk.session, desk.current), "role", "") if desk.current is not None else ""
    found += [
        Command(
            "Tracks",
            kept.name,
            "",
            partial(_use_chain, kept.name),
            is_selected,
            LANES,
            "Use the chain",
            words=f"preset inserts {kept.role}",
        )
        for kept in chains.fitting(role)[:MOST_CHAINS]
    ]
    found += [
        Command("Tracks", f"Put into {folder.name}", "", partial(_put_into, folder.id), is_selected, LANES, "Put into")
        for folder in desk.session.folder_groups
    ]
    found += [
        Command("Tracks", f"Send to {name}", "", partial(_send, goal), is_selected, LANES, "Send to")
        for goal, name in goals
    ]
    return found


MOST_CHAINS = 20
BUFFERS = {0: "As short as the output can"} | {frames: f"{frames} frames" for frames in (512, 1024, 2048, 4096)}
"""What the buffers of an output (`audio.device.BUFFERS`) are called."""


LONGEST_SAID = 60


def _undo_says(desk: "Desk") -> str:
    return f"Undo: {texts.clipped(desk.undo_text, LONGEST_SAID)}" if desk.undo_text else ""


def _redo_says(desk: "Desk") -> str:
    return f"Redo: {texts.clipped(desk.redo_text, LONGEST_SAID)}" if desk.redo_text else ""


def _is_output(key: str, desk: "Desk") -> bool:
    return desk.ears.outputs.key == key


def _is_buffer(frames: int, desk: "Desk") -> bool:
    return desk.ears.outputs.buffer_frames == frames


def _play_to(key: str, actions: "Actions") -> None:
    actions.desk.ears.choose_output(key)


def _buffer(frames: int, actions: "Actions") -> None:
    actions.desk.ears.choose_buffer(frames)


def _set_up_like(name: str, actions: "Actions") -> None:
    """Makes the move that a template is, whatever is set already."""
    from all_even.moves.gather.template import proposal_of
    from all_even.session.machine import template

    desk = actions.desk
    try:
        move = proposal_of(desk.session, template.find(name))
    except KeyError:
        move = None
    if move is None:
        desk.said.emit(f"No track here has a counterpart in “{name}”, by name or role.")
    else:
        desk.moves.apply(move)


def _lead(goal: str, actions: "Actions") -> None:
    from all_even.session.editing import routing_edits

    desk = actions.desk
    desk.try_edit(lambda s: routing_edits.route(s, actions.strips.selected_strips(), goal))


def _use_chain(name: str, actions: "Actions") -> None:
    actions.strips.use_chain(name)


def _put_into(folder: str, actions: "Actions") -> None:
    from all_even.app.lanes.gestures import put_into

    put_into(actions.desk, folder)


def _send(goal: str, actions: "Actions") -> None:
    from all_even.session.editing import routing_edits

    desk = actions.desk
    desk.try_edit(lambda s: routing_edits.set_send(s, actions.strips.selected_strips(), goal))
