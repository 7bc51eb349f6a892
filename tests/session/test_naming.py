"""Names of files as studios write them (made up, common practice): no word is lost, roles are right."""

import re

import pytest
from msgspec.structs import replace

from all_even.session.model.session import Session
from all_even.session.model.strips import Lane
from all_even.session.tracks import naming
from all_even.session.tracks.roles import FAMILIES, family_of, guess_role
from all_even.session.tracks.words import LONGER, OF_THE_FILE, SIDES, VERSION, split_words, written_out

SHEETS = {
    "rock": """
        01_Kick In.wav|kick; 02_Kick Out.wav|kick out; 03_Kick Trig CLICK.wav|click or trigger; 04_SN 57 T.wav|snare top
        05_SN Btm.wav|snare bottom; 06_Sn Sample DIRTY.wav|snare top; 07_HH.wav|hi-hat; 08_Rack Tom.wav|tom
        09_Flr Tom.wav|tom; 10_OH L.wav|overhead; 11_OH R.wav|overhead; 12_Room Near.wav|room; 13_Room Far.wav|room
        14_Room Mono Crushed.wav|room; 15_Bass DI.wav|bass DI; 16_Bass Amp.wav|bass amplifier
        17_Bass Amp DIRTY.wav|bass amplifier; 18_Gtr 1 Dirty.wav|electric guitar; 19_Gtr 1 Clean.wav|electric guitar
        20_Gtr 2 Dirty L.wav|electric guitar; 21_Gtr 2 Dirty R.wav|electric guitar; 22_Gtr Solo DI.wav|electric guitar
        23_Gtr Solo Amp.wav|electric guitar; 24_AcGtr dbl L.wav|acoustic guitar; 25_AcGtr dbl R.wav|acoustic guitar
        26_Ld Vox.wav|lead voice; 27_Ld Vox dbl.wav|lead voice; 28_Ld Vox whisper.wav|lead voice
        29_BGV hi.wav|backing voice; 30_BGV lo.wav|backing voice; 31_Gang Vox.wav|backing voice
        32_Vox Verb.wav|printed effect; 33_Vox Delay throw.wav|printed effect; 34_Click.wav|click track
        35_RoughMix_v3.wav|reference mix; 36_Scratch Vox.wav|scratch voice; 37_Tamb chorus.wav|tambourine
        38_Shaker loop.wav|shaker; 39_Crash swell rev.wav|cymbal; 40_Ride bell.wav|ride
    """,
    "pop, numbered badly": """
        KIK_01.wav|kick; KIK_02.wav|kick; kik sub.wav|kick; SnTop-03.aif|snare top; snr_btm.aif|snare bottom
        clap layer 1.wav|clap; clap layer 2.wav|clap; HatLoop.wav|hi-hat; 808.wav|sub bass; 808 slide.wav|sub bass
        SynBass.wav|synth bass; Syn Bass oct.wav|synth bass; Pad warm.wav|pad; Pad glassy.wav|pad
        Arp 1.wav|synthesiser; Arp 2.wav|synthesiser; Pno.wav|piano; Pno felt.wav|piano; EP tremolo.wav|electric piano
        LdVox_comp.wav|lead voice; LdVox_dbl_L.wav|lead voice; LdVox_dbl_R.wav|lead voice
        LdVox adlib.wav|lead voice; bv 1 hi L.wav|backing voice; bv 1 hi R.wav|backing voice
        bv 2 lo L.wav|backing voice; bv 2 lo R.wav|backing voice; bv oohs.wav|backing voice; FX riser.wav|printed effect
        FX impact.wav|printed effect; Strgs hi.wav|strings; Strgs lo.wav|strings; Vln solo.wav|violin
        gtr muted chops.wav|electric guitar; gtr ambient swells.wav|electric guitar; Count In.wav|click track
        Reference.wav|reference mix; perc bongo.wav|hand drum; perc cowbell.wav|percussion; perc misc.wav|percussion
    """,
    "brass band and choir": """
        Tpt 1 take 2.wav|trumpet; Tpt 2 take 2.wav|trumpet; Tpt 1 mute.wav|trumpet; Flug.wav|trumpet; Fr Hn.wav|horn
        Tbn_take 3.wav|trombone; Tbn_take 4.wav|trombone; BTbn.wav|bass trombone; Tuba.wav|tuba; Euph.wav|tuba
        ASax.wav|saxophone; TSax close.wav|saxophone; TSax far.wav|saxophone; Bari.wav|baritone saxophone
        Clar(1).wav|clarinet; Clar(2).wav|clarinet; BCl.wav|bass clarinet; Flt.wav|flute; Picc.wav|flute
        Choir Sop.wav|backing voice; Choir Alto.wav|backing voice; Choir close L.wav|backing voice
        Choir close R.wav|backing voice; Room L.wav|room; Room R.wav|room; Snare march.wav|snare top
        BD march.wav|kick; Cym piatti.wav|cymbal; 2nd Violin.wav|violin; 1st Violin.wav|violin; Vla.wav|viola
        Vc spot.wav|cello; Double Bass bow.wav|double bass; Double Bass pizz.wav|double bass; Org pedal.wav|organ
        Accordion ST.wav|accordion; harmonium take2.wav|harmonium; MANDO trem.wav|mandolin; Banjo rolls.wav|banjo
        Uke.wav|ukulele
    """,
    "several languages": """
        Grosse Caisse.wav|kick; Caisse Claire dessus.wav|snare top; Charley.wav|hi-hat; Basse DI.wav|bass DI
        Grosse Caisse ext.wav|kick out; Caisse Claire dessous.wav|snare bottom
        Basse ampli.wav|bass amplifier; Guitare acoustique.wav|acoustic guitar; Guitare saturée.wav|electric guitar
        Voix lead.wav|lead voice; Choeur aigu.wav|backing voice; Choeur grave.wav|backing voice; Chant doublé.wav|voice
        Bombo dentro.wav|kick; Caja.wav|snare top; Bajo.wav|bass; Guitarra limpia.wav|electric guitar
        Voz principal.wav|voice; Coros.wav|backing voice; Batería sala.wav|drums; Cassa.wav|kick
        Rullante sotto.wav|snare bottom
        Chitarra ritmica.wav|electric guitar; Basso caldo.wav|bass; Pianoforte.wav|piano; Voce doppia.wav|voice
        Kleine Trommel.wav|snare top; Becken.wav|cymbal; E-Gitarre Refrain.wav|electric guitar
        Westerngitarre.wav|acoustic guitar; Gesang laut.wav|voice; Chor Brücke.wav|backing voice; Klavier L.wav|piano
        Klavier R.wav|piano; Bratsche.wav|viola; Geige Solo.wav|violin; Posaune.wav|trombone; Trompete.wav|trumpet
        Akkordeon.wav|accordion; Stopa.wav|kick; Werbel.wav|snare top; Gitara.wav|electric guitar
    """,
    "one song's title in front": """
        Harbour_Lights-Kick-48k.wav|kick; Harbour_Lights-Snare-48k.wav|snare top; Harbour_Lights-OH-48k.wav|overhead
        Harbour_Lights-Bass-48k.wav|bass; Harbour_Lights-Gtr L-48k.wav|electric guitar
        Harbour_Lights-Gtr R-48k.wav|electric guitar; Harbour_Lights-Gtr clean-48k.wav|electric guitar
        Harbour_Lights-Keys-48k.wav|synthesiser; Harbour_Lights-Organ fast-48k.wav|organ
        Harbour_Lights-Organ slow-48k.wav|organ; Harbour_Lights-Vox-48k.wav|voice; Harbour_Lights-Vox low-48k.wav|voice
        Harbour_Lights-Vox Zoe-48k.wav|voice; Harbour_Lights-Vox Ines-48k.wav|voice; Harbour_Lights-Tpt-48k.wav|trumpet
        Harbour_Lights-Tbn-48k.wav|trombone; Harbour_Lights-BS-48k.wav|bass; Harbour_Lights-HH-48k.wav|hi-hat
        Harbour_Lights-Ride-48k.wav|ride; Harbour_Lights-Tom 1-48k.wav|tom; Harbour_Lights-Tom 2-48k.wav|tom
        Harbour_Lights-FT-48k.wav|tom; Harbour_Lights-Conga-48k.wav|hand drum; Harbour_Lights-Pad A-48k.wav|pad
        Harbour_Lights-Pad B-48k.wav|pad; Harbour_Lights-Room-48k.wav|room; Harbour_Lights-Click-48k.wav|click track
        Harbour_Lights-Mix-48k.wav|reference mix; Harbour_Lights-Vla-48k.wav|viola; Harbour_Lights-Vc-48k.wav|cello
        Harbour_Lights-Vln 1-48k.wav|violin; Harbour_Lights-Vln 2-48k.wav|violin; Harbour_Lights-Sub-48k.wav|sub bass
        Harbour_Lights-EGtr far-48k.wav|electric guitar; Harbour_Lights-EGtr near-48k.wav|electric guitar
        Harbour_Lights-Slap Bass-48k.wav|bass; Harbour_Lights-Upright-48k.wav|double bass
        Harbour_Lights-Piano high-48k.wav|piano; Harbour_Lights-Piano low-48k.wav|piano
        Harbour_Lights-Shaker-48k.wav|shaker
    """,
}  # fmt: skip


def files(sheet: str) -> list[tuple[str, str]]:
    entries = re.split(r"[;\n]", SHEETS[sheet])
    return [tuple(entry.strip().split("|")) for entry in entries if entry.strip()]  # type: ignore[misc]


def session_of(sheet: str) -> Session:
    lanes = tuple(
        Lane(id=f"lane-{i}", name=file[:-4], file=file, role=guess_role(file[:-4]))
        for i, (file, _) in enumerate(files(sheet))
    )
    return Session(name="Names", sample_rate=48_000, lanes=lanes)


def telling_words(stem: str) -> list[set[str]]:
    """For each word that says something: the forms in which it may stand in a name."""
    words = [word.lower() for word in split_words(stem)]
    found = []
    for index, word in enumerate(words):
        if word.isdigit() or word in OF_THE_FILE or word in VERSION:
            continue
        pairs = {" ".join(words[i : i + 2]) for i in (index - 1, index) if i >= 0}
        longer = {longer for phrase in (word, *pairs) for longer in (LONGER.get(phrase, ""),) if longer}
        found.append({word, SIDES.get(word, word), *longer, *({"top"} if word == "t" else set())})
    return found


def test_there_are_two_hundred_names():
    assert sum(len(files(sheet)) for sheet in SHEETS) >= 200


@pytest.mark.parametrize("sheet", SHEETS)
def test_no_name_loses_a_word_that_tells_tracks_apart(sheet):
    session = session_of(sheet)
    names = naming.plain_names(session)
    common = {"harbour", "lights"}
    for lane in session.lanes:
        if lane.role == "unknown":
            continue
        name = names[lane.id].lower()
        for forms in telling_words(lane.file[:-4]):
            if not forms & common:
                assert any(form in name for form in forms), (lane.file, name, forms)
    assert len({name.lower() for name in names.values()}) == len(names), "two tracks have one name"


@pytest.mark.parametrize("sheet", SHEETS)
def test_the_roles_of_real_looking_names(sheet):
    wrong = {file: (guess_role(file[:-4]), role) for file, role in files(sheet) if guess_role(file[:-4]) != role}
    assert len(wrong) <= 0.05 * len(files(sheet)), wrong
    astray = {file for file, (found, role) in wrong.items() if family_of(found) != family_of(role)}
    assert len(astray) <= 0.03 * len(files(sheet)), wrong


def test_numbers_stay_only_where_nothing_else_tells_lanes_apart():
    names = set(naming.plain_names(session_of("rock")).values())
    assert {"Kick in", "Kick trigger click", "Guitar dirty left", "Room near", "Snare top"} <= names
    assert {"Voice reverb", "Bass amplifier dirty"} <= names
    pop = set(naming.plain_names(session_of("pop, numbered badly")).values())
    assert {"Kick 1", "Kick 2", "Kick sub", "Clap layer 1", "Backing voice high left", "Arpeggio 2"} <= pop
    assert {"Trombone take 3", "Trumpet 1 take 2"} <= set(
        naming.plain_names(session_of("brass band and choir")).values()
    )


def test_the_songs_title_goes_where_every_name_begins_with_it():
    names = set(naming.plain_names(session_of("one song's title in front")).values())
    assert {"Kick", "Guitar left", "Voice Zoe", "Organ slow", "Tom 1", "Floor tom"} <= names


def test_a_role_that_was_chosen_comes_first_where_the_name_does_not_speak_of_it():
    lane = Lane(id="lane-1", name="Audio 12", file="Audio 12 warm.wav", role="snare top")
    session = Session(name="One", sample_rate=48_000, lanes=(lane,))
    assert naming.plain_names(session) == {"lane-1": "Snare top warm"}


def test_a_silent_copy_is_called_after_its_track():
    lane = Lane(id="lane-1", name="k", file="kick.wav", role="kick")
    copy = Lane(id="lane-2", name="k copy", file="kick.wav", role="kick", destination="nowhere")
    session = Session(name="Two", sample_rate=48_000, lanes=(lane, copy))
    assert naming.plain_names(session) == {"lane-1": "Kick", "lane-2": "Kick trigger"}


def test_words_are_written_out():
    assert written_out("02_OHL") == "Overhead left"
    assert written_out("Bari sax DI dbl") == "Baritone saxophone DI double"
    assert written_out("BD In 48k 24bit") == "Kick in"
    assert "unknown" not in FAMILIES


@pytest.mark.parametrize("stem", ["Audio 03_05", "Bounce 32 final", "Audio", "track_12", "rec 2 take 4", "48 mono"])
def test_a_name_that_says_nothing_is_told_as_such(stem):
    assert naming.says_nothing(stem)


@pytest.mark.parametrize("stem", ["Marcel", "Gtr 2", "Audio lead vox", "Chorus pad", "Room"])
def test_a_name_that_says_something_is_not(stem):
    assert not naming.says_nothing(stem)


def test_names_of_new_tracks_stay_unlike_each_other_and_as_the_files_are_called():
    taken: set[str] = set()
    found = []
    for stem, folder in (("Audio 03_05", ""), ("Audio", "Take 1"), ("Audio", "Take 2"), ("Audio", ""), ("Audio", "")):
        found.append(naming.first_name(stem, folder, taken))
        taken.add(found[-1].lower())
    assert found == ["Audio 03_05", "Audio", "Audio (Take 2)", "Audio 2", "Audio 3"]


def unnamed(*files: str) -> Session:
    lanes = tuple(
        Lane(id=f"l{i}", name=file.rsplit("/")[-1].removesuffix(".wav"), file=file) for i, file in enumerate(files)
    )
    return Session(name="s", sample_rate=48_000, lanes=lanes)


def test_a_role_that_was_said_stands_in_the_name_and_the_file_under_it():
    session = naming.with_role(unnamed("Audio 03_05.wav", "Audio.wav", "b/Audio.wav"), "l0", "lead voice")
    session = naming.with_role(naming.with_role(session, "l1", "piano"), "l2", "piano")
    assert [lane.name for lane in session.lanes] == ["Lead voice 03_05", "Piano", "Piano 2"]
    assert all(lane.role_said for lane in session.lanes)
    assert naming.second_line(session.lanes[0]) == "Audio 03_05"
    again = naming.with_role(session, "l0", "kick")
    assert again.lane("l0").name == "Kick 03_05"
    assert naming.with_role(again, "l0", "unknown").lane("l0").role_said is False


def test_a_name_that_people_gave_stays():
    session = unnamed("Audio 03_05.wav")
    session = replace(session, lanes=(replace(session.lanes[0], name="Our singer"),))
    assert naming.with_role(session, "l0", "lead voice").lanes[0].name == "Our singer"


def test_where_names_say_nothing_nothing_is_written_out():
    session = unnamed("Audio 03_05.wav", "Bounce 32 final.wav")
    lanes = tuple(replace(lane, role="instrument") for lane in session.lanes)
    assert set(naming.plain_names(replace(session, lanes=lanes)).values()) == {"Audio 03_05", "Bounce 32 final"}
