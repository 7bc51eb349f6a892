"""Playing through a real sound server: what its monitor records is the render, and pulling it away is survived.

A server of its own with a silent sink, reached as on a desktop (PortAudio, ALSA, the plugin to the server).
"""

import os
import shutil
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

MISSING = [name for name in ("pulseaudio", "pactl", "parec") if shutil.which(name) is None]
pytestmark = pytest.mark.skipif(bool(MISSING), reason=f"no sound server to play to: {', '.join(MISSING)} missing")

ROOT = Path(__file__).parents[2]
HUNG_S = 600.0
ATTEMPTS = 6
SERVER = """
load-module module-native-protocol-unix socket={socket} auth-anonymous=1
load-module module-rescue-streams
load-module module-null-sink sink_name=stage rate=48000 channels=2 format=float32le
load-module module-null-sink sink_name=phones rate=48000 channels=2 format=float32le
load-module module-remap-source source_name=desk master=stage.monitor
set-default-sink stage
"""
PLAYING = """
import os, sys, time
import numpy as np
from all_even.audio.device import SimulatedDevice
from all_even.engine.playing.player import Player
from tests.engine.sessions import Memory
from tests.engine.sessions import plan_of

sound = np.load(sys.argv[1])
player = Player()
player.set_plan(plan_of(Memory(sound), gain=np.sqrt(0.5)))  # fader at 0 dB
player.play()
while not player.playing: time.sleep(0.01)
print("device", player.device.name, player.message, flush=True)
if sys.argv[2] == "end":
    while player.playing: time.sleep(0.01)
else:
    sys.stdin.readline()
    while not isinstance(player.device, SimulatedDevice): time.sleep(0.01)
    before = player.position_s()
    while player.position_s() <= before: time.sleep(0.01)
print("message", player.message, flush=True)
os._exit(0)  # a stream whose server is gone may never end
"""


def wait(condition, process: subprocess.Popen) -> None:
    end = time.monotonic() + HUNG_S
    while not condition():
        assert time.monotonic() < end, "hung"
        assert process.poll() is None, "the sound server ended by itself"
        time.sleep(0.05)


@pytest.fixture
def server(tmp_path) -> Iterator[tuple[subprocess.Popen, dict[str, str]]]:
    socket = tmp_path / "native"
    (tmp_path / "asound.conf").write_text(
        "pcm.!default { type pulse }\nctl.!default { type pulse }\npcm.pulse { type pulse }\n"
    )
    environment = {
        **os.environ,
        "HOME": str(tmp_path),
        "XDG_RUNTIME_DIR": str(tmp_path),
        "PULSE_SERVER": f"unix:{socket}",
        "ALSA_CONFIG_PATH": str(tmp_path / "asound.conf"),
        "PYTHONPATH": str(ROOT),
    }
    tmp_path.chmod(0o700)
    command = ["pulseaudio", "-n", "--daemonize=no", "--exit-idle-time=-1", "--use-pid-file=no", "-F", "/dev/stdin"]
    process = subprocess.Popen(
        command, env=environment, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )
    assert process.stdin is not None
    process.stdin.write(SERVER.format(socket=socket).encode())
    process.stdin.close()
    asked = ["pactl", "list", "short", "sinks"]
    wait(lambda: b"stage" in subprocess.run(asked, env=environment, capture_output=True).stdout, process)
    found = subprocess.run(
        [sys.executable, "-c", "import sounddevice; print(len(sounddevice.query_devices()))"],
        env=environment, capture_output=True, text=True,
    )  # fmt: skip
    if found.stdout.strip() in ("", "0"):
        process.kill()
        pytest.skip("PortAudio does not reach the sound server: the ALSA plugin is missing")
    yield process, environment
    process.kill()
    process.wait()


def play(environment: dict[str, str], sound: Path, until: str) -> subprocess.Popen:
    command = [sys.executable, "-c", PLAYING, str(sound), until]
    return subprocess.Popen(
        command, env=environment, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True, cwd=ROOT
    )


def recorded(process: subprocess.Popen, environment: dict[str, str], folder: Path) -> str:
    """Plays `sound.npy` to its end and records what the sink is given, in `heard.raw`; what the player told. A machine
    that is too busy to be asked for sound for seconds looks like an output that is gone."""
    heard = folder / "heard.raw"
    with heard.open("wb") as out:
        recorder = subprocess.Popen(
            ["parec", "-d", "stage.monitor", "--format=float32le", "--rate=48000", "--channels=2", "--raw"],
            env=environment, stdout=out,
        )  # fmt: skip
        wait(lambda: heard.stat().st_size > 0, process)
        told, _ = play(environment, folder / "sound.npy", "end").communicate(timeout=HUNG_S)
        size = heard.stat().st_size
        wait(lambda: heard.stat().st_size > size + 48_000 * 8, process)
        recorder.terminate()
        recorder.wait()
    return told


def test_what_the_sink_plays_is_the_render(server, tmp_path):
    process, environment = server
    # Never zero, so that silence put in between (a late block on a busy machine) is told from sound.
    sound = 0.2 + 0.1 * np.random.default_rng(4).random((4 * 48_000, 2)).astype(np.float32)
    np.save(tmp_path / "sound.npy", sound)
    for _ in range(ATTEMPTS):
        told = recorded(process, environment, tmp_path)
        if "stand-in" not in told:
            break
    assert "message None" in told
    raw = (tmp_path / "heard.raw").read_bytes()
    heard = np.frombuffer(raw[: len(raw) // 8 * 8], dtype=np.float32).reshape(-1, 2)
    heard = heard[(heard != 0.0).any(axis=1)]
    after_ramp = 24_000
    # The very first sample of the ramp is silent; blocks that the server throws away, at the end or on a busy machine,
    # are not heard. What is heard is the render's, to the bit and in order.
    assert len(sound) - 4_096 < len(heard) <= len(sound)
    place = {frame.tobytes(): index for index, frame in enumerate(sound)}
    places = [place.get(frame.tobytes(), -1) for frame in heard[after_ramp:]]
    assert min(places) >= 0, "something was heard that is not in the render"
    assert np.all(np.diff(places) >= 1)


def test_a_sink_that_is_pulled_away_is_survived_with_a_sentence(server, tmp_path):
    process, environment = server
    np.save(tmp_path / "sound.npy", np.full((60 * 48_000, 2), 0.1, dtype=np.float32))
    player = play(environment, tmp_path / "sound.npy", "gone")
    assert player.stdout is not None
    first = player.stdout.readline()
    assert "stand-in" not in first
    process.kill()
    process.wait()
    told, _ = player.communicate("go\n", timeout=HUNG_S)
    assert "stopped answering: playing goes on to the silent stand-in." in told


CHOOSING = """
import os, sys, time
import numpy as np
from all_even.audio import available
from all_even.audio.device import SimulatedDevice, open_device
from all_even.engine.playing.player import Player
from tests.engine.sessions import Memory
from tests.engine.sessions import plan_of

found = available.find_outputs()
print([output.key for output in found], flush=True)
chosen = {output.key: output for output in found}
now = ["server:stage"]
player = Player(lambda rate, fill: open_device(rate, fill, chosen[now[0]], 1024))
player.set_plan(plan_of(Memory(np.full((600 * 48_000, 2), 0.1, dtype=np.float32))))
player.play()
for line in sys.stdin:
    if line.startswith("choose"):
        now[0] = "server:" + line.split()[1]
        player.reopen()
    if line.startswith("lost"):
        while player.lost is None: time.sleep(0.01)
        while player.lost.there: time.sleep(0.01)
    if line.startswith("back"):
        while not player.lost.there: time.sleep(0.01)
        player.reopen()
        while player.lost is not None: time.sleep(0.01)
    print(player.message, flush=True)
os._exit(0)
"""


def test_two_outputs_are_chosen_in_turn_and_one_is_pulled_away_and_given_back(server):
    process, environment = server
    player = subprocess.Popen(
        [sys.executable, "-c", CHOOSING],
        env=environment, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True, cwd=ROOT,
    )  # fmt: skip
    assert player.stdin is not None
    assert player.stdout is not None

    def tell(word: str) -> str:
        print(word, file=player.stdin, flush=True)
        return player.stdout.readline()

    def pactl(*words: str) -> str:
        return subprocess.run(["pactl", *words], env=environment, capture_output=True, text=True).stdout

    def plays_to(sink: str) -> bool:
        number = next((line.split()[0] for line in pactl("list", "short", "sinks").splitlines() if sink in line), None)
        return [line.split()[1] for line in pactl("list", "short", "sink-inputs").splitlines()] == [number]

    assert player.stdout.readline().strip() == "['', 'server:stage', 'server:phones']"
    wait(lambda: plays_to("stage"), process)
    tell("choose phones")
    wait(lambda: plays_to("phones"), process)
    module = next(line.split()[0] for line in pactl("list", "short", "modules").splitlines() if "phones" in line)
    pactl("unload-module", module)
    assert "stand-in" in tell("lost")
    wait(lambda: not pactl("list", "short", "sink-inputs").strip(), process)  # not on the loudspeakers instead
    pactl("load-module", "module-null-sink", "sink_name=phones", "rate=48000", "channels=2")
    assert tell("back").strip() == "None"
    wait(lambda: plays_to("phones"), process)
    player.stdin.close()
    player.wait(timeout=HUNG_S)


SENDING = """
import sys
import numpy as np
from all_even.audio import available, round_trip

outputs = {item.key: item for item in available.find_outputs()}
inputs = {item.key: item for item in available.find_inputs()}
print(sorted(inputs), flush=True)
way = round_trip.CardWay(outputs["server:stage"], inputs["server:desk"])
trip = round_trip.send(np.load(sys.argv[1]), 48_000, way)
np.save(sys.argv[2], trip.back)
print(trip.late, trip.change_db, flush=True)
"""


def test_a_sound_goes_out_through_an_output_and_comes_back_from_an_input_in_its_place(server, tmp_path):
    _, environment = server
    sound = (0.2 * np.random.default_rng(5).standard_normal((48_000, 2))).astype(np.float32)
    np.save(tmp_path / "sound.npy", sound)
    command = [sys.executable, "-c", SENDING, str(tmp_path / "sound.npy"), str(tmp_path / "back.npy")]
    for _ in range(ATTEMPTS):  # a busy machine leaves blocks out
        told = subprocess.run(command, env=environment, capture_output=True, text=True, cwd=ROOT, timeout=HUNG_S)
        if told.returncode == 0 and np.abs(np.load(tmp_path / "back.npy") - sound).max() < 1e-3:
            break
    assert told.returncode == 0, told.stderr
    named, figures = told.stdout.splitlines()
    assert named == "['', 'server:desk']"
    late, change_db = (float(item) for item in figures.split())
    assert late > 0
    assert abs(change_db) < 0.1
    np.testing.assert_allclose(np.load(tmp_path / "back.npy"), sound, atol=1e-3)
