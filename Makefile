# Every target sets up what it needs by itself; see README.md.
PYTHON ?= python3
VENV   := .venv
BIN    := $(VENV)/bin
STAMP  := $(VENV)/.ready

.PHONY: setup system demo test attack proof proof-all proof-packages lint bench shots install uninstall clean

setup: $(STAMP)

$(STAMP): pyproject.toml constraints.txt tools/system-packages.sh
	sh tools/system-packages.sh
	$(PYTHON) -c 'import sys; sys.exit("All Even needs Python 3.11 or newer; this is " + sys.version.split()[0]) if sys.version_info < (3, 11) else None'
	$(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -c constraints.txt -e '.[test,lint,bench]'
	test -x $(BIN)/all-even && touch $(STAMP)

demo: $(STAMP)
	$(BIN)/all-even --demo

# The sound server that some tests play to; where it can't be had, they skip and say so. A module's tests stay with one
# worker: what they share is made once.
test: $(STAMP)
	-sh tools/system-packages.sh pulseaudio pulseaudio-utils libasound2-plugins
	$(BIN)/python -m pytest -n auto --dist loadscope --no-loadscope-reorder

# Broken files, kills and random hands in their full number, under 15 minutes; a short form is in `test`.
attack: $(STAMP)
	ALL_EVEN_ATTACK=full $(BIN)/python -m pytest -n auto tests/attack

# The player of recorded instruments, the speaker and the desktop's tools are for the proofs only; where they can't be had, they
# skip and say so. Two modules at a time; what they print stands at the end. The date of the last commit draws a share of each
# proof's songs (ALL_EVEN_SHARE=2 draws that one); all of them in `proof-all`.
proof: $(STAMP) proof-packages
	$(BIN)/python -m pytest -m proof -n 2 --dist loadscope --no-loadscope-reorder -rP tests

proof-all: $(STAMP) proof-packages
	ALL_EVEN_SHARE=all $(BIN)/python -m pytest -m proof -n 2 --dist loadscope --no-loadscope-reorder -rP tests

proof-packages:
	-sh tools/system-packages.sh fluidsynth timgm6mb-soundfont fluid-soundfont-gm hydrogen-drumkits espeak-ng
	-sh tools/system-packages.sh desktop-file-utils appstream xdg-utils shared-mime-info libfile-mimeinfo-perl

lint: $(STAMP)
	$(BIN)/ruff check src tests tools
	$(BIN)/ruff format --check src tests tools
	$(BIN)/mypy
	$(BIN)/lint-imports

bench: $(STAMP)
	$(BIN)/all-even bench

shots: $(STAMP)
	sh tools/with-display.sh $(BIN)/python tools/shots.py

# For this user alone: an environment of its own, launcher, menu entry, icons, file type, man page.
install:
	sh tools/system-packages.sh
	$(PYTHON) tools/desktop.py install

uninstall:
	$(PYTHON) tools/desktop.py uninstall

clean:
	rm -rf $(VENV) .pytest_cache .mypy_cache .ruff_cache .hypothesis .import_linter_cache build src/*.egg-info
	find . -name __pycache__ -type d -prune -exec rm -rf {} +
