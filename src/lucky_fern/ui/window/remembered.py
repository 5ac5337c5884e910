"""What is remembered from one time to the next: of the person, not of a project."""

from __future__ import annotations

from pathlib import Path
from typing import Any, Literal

import msgspec
import platformdirs

RECENT = 12
LookChoice = Literal["system", "light", "dark"]
NumbersChoice = Literal["point", "comma", "system"]


class Remembered(msgspec.Struct, omit_defaults=True):
    """Everything with the value it has at first; what a file does not say, or says wrongly, is as at first."""

    recent: list[str] = []  # project files, the newest first
    folders: dict[str, str] = {}  # what was asked for → where it was found
    keys: dict[str, list[str]] = {}  # command → keys that the person gave it
    look: LookChoice = "light"
    numbers: NumbersChoice = "point"  # how numbers are written
    text: Literal[0, 100, 125, 150] = 0  # its size in percent; 0 as the desktop has it
    home: str = ""  # the folder where questions for files begin that were not asked before
    reread: Literal["ask", "yes", "no"] = "ask"  # pictures whose files changed
    my_kit: str = ""  # its folder; "" for the usual one
    undo_megabytes: int = 1024
    maps_megabytes: int = 0  # that maps may take; 0 for a quarter of the computer's memory
    keep_previous: bool = False  # leave the file before it as NAME.fern~ when saving
    size: tuple[int, int] = (1280, 800)
    whole_screen: bool = False
    splitters: dict[str, list[int]] = {}
    folded: list[str] = []  # parts of the window that are folded away
    tools: dict[str, Any] = {}  # settings of tools and of the light
    presets: dict[str, str] = {}  # of one's own, as JSON

    def opened(self, path: Path) -> None:
        """A project was opened, or saved, here."""
        name = str(path.resolve())
        self.recent = [name, *(one for one in self.recent if one != name)][:RECENT]

    def there(self) -> list[Path]:
        """The recent projects that are still there."""
        return [path for path in map(Path, self.recent) if path.is_file()]


def settings_file() -> Path:
    """In the person's folder for settings (XDG_CONFIG_HOME)."""
    return Path(platformdirs.user_config_dir("lucky-fern")) / "settings.json"


def recall(path: Path | None = None) -> Remembered:
    """What was remembered; whatever of it cannot be understood is as it is at first."""
    try:
        plain = msgspec.json.decode((path or settings_file()).read_bytes())
    except (OSError, msgspec.MsgspecError, RecursionError):
        return Remembered()
    made = Remembered()
    for name, value in plain.items() if isinstance(plain, dict) else ():
        try:
            setattr(made, name, getattr(msgspec.convert({name: value}, Remembered), name))
        except (msgspec.MsgspecError, AttributeError):
            continue
    return made


def remember(what: Remembered, path: Path | None = None) -> None:
    """Write it down; where that cannot be, nothing is remembered."""
    from lucky_fern.core.errors import LuckyFernError  # the window shows before the core is loaded
    from lucky_fern.core.files import write_whole

    target = path or settings_file()
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        write_whole(target, msgspec.json.format(msgspec.json.encode(what), indent=1))
    except (OSError, LuckyFernError):
        return
