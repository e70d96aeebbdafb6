"""The kernel's modules: which would serve a USB interface, whether they are installed and loaded, and which are radios.

Read from `lib/modules/VERSION` (modules.alias, modules.dep: depmod(8)), `proc/modules` and `etc/modprobe.d` below a
root.
"""

import contextlib
import lzma
from fnmatch import fnmatchcase
from functools import lru_cache
from pathlib import Path

import msgspec

# Words in a media module's own description that tell a radio from a camera; folders of cameras, for one without any.
RADIO_WORDS = ("sdr", "software defined", "software-defined", "radio", "dvb", "television", "tuner")
CAMERA_FOLDERS = ("uvc", "gspca")
TELEVISION_CORE = "dvb_core"
# A description stands in the first part of a module's file; larger files are not read whole.
MAX_MODULE_BYTES = 4_000_000


class KernelModule(msgspec.Struct, frozen=True):
    """A module that the kernel's tables name for an interface.

    path : its file, empty where the tables name one that is not installed. is_radio : it serves radio or television.
    blocked_by : the file that forbids loading it by itself.
    """

    name: str
    path: str = ""
    is_loaded: bool = False
    is_radio: bool = False
    blocked_by: str = ""


class KernelModules:
    """Tables of the running kernel; read once."""

    def __init__(self, root: Path = Path("/")) -> None:
        self._root = root
        self._folder = _version_folder(root)
        self._aliases = _aliases(self._folder)
        self._depends = _dependencies(self._folder)
        self._loaded = {line.split()[0] for line in _lines(root / "proc/modules") if line.split()}

    def serving(self, modalias: str) -> tuple[KernelModule, ...]:
        """Modules that the kernel would load for an interface, by its `modalias`."""
        vendor = modalias[: len("usb:v0000")]
        patterns = [*self._aliases.get(vendor, ()), *self._aliases.get("", ())]
        names = dict.fromkeys(module for pattern, module in patterns if fnmatchcase(modalias, pattern))
        return tuple(self.module(name) for name in names)

    def module(self, name: str) -> KernelModule:
        """A module by its name, with underscores."""
        path, needs = self._depends.get(name, ("", ()))
        return KernelModule(name, path, name in self._loaded, self._is_radio(path, needs), self._blocked_by(name))

    def _is_radio(self, path: str, needs: tuple[str, ...]) -> bool:
        if not path:
            # Only the alias is known: whoever asks about an interface of no standard class takes it for one.
            return True
        if "/media/" not in path:
            return False
        if TELEVISION_CORE in needs:
            return True
        if description := _description(str(self._folder / path)).lower():
            return any(word in description for word in RADIO_WORDS)
        return not any(folder in Path(path).parts for folder in CAMERA_FOLDERS)

    def _blocked_by(self, name: str) -> str:
        for file in sorted((self._root / "etc/modprobe.d").glob("*.conf")):
            for line in _lines(file):
                words = line.split()
                if words[:1] == ["blacklist"] and words[1:2] and words[1].replace("-", "_") == name:
                    return f"/etc/modprobe.d/{file.name}"
        return ""


def _version_folder(root: Path) -> Path:
    """Folder of the running kernel's modules; the only one where nothing says which runs."""
    modules = root / "lib/modules"
    release = next(iter(_lines(root / "proc/sys/kernel/osrelease")), "").strip()
    if release and (modules / release).is_dir():
        return modules / release
    folders = sorted(modules.iterdir()) if modules.is_dir() else []
    return folders[-1] if folders else modules


def _aliases(folder: Path) -> dict[str, list[tuple[str, str]]]:
    """Patterns for USB by their vendor, those of any vendor under an empty key; each with its module."""
    by_vendor: dict[str, list[tuple[str, str]]] = {}
    for line in _lines(folder / "modules.alias"):
        words = line.split()
        if len(words) == 3 and words[0] == "alias" and words[1].startswith("usb:"):
            vendor = words[1][: len("usb:v0000")]
            key = vendor if "*" not in vendor else ""
            by_vendor.setdefault(key, []).append((words[1], words[2].replace("-", "_")))
    return by_vendor


def _dependencies(folder: Path) -> dict[str, tuple[str, tuple[str, ...]]]:
    """Path of each module, and the modules that it needs, by name."""
    known: dict[str, tuple[str, tuple[str, ...]]] = {}
    for line in _lines(folder / "modules.dep"):
        path, _, needs = line.partition(":")
        known[_module_name(path)] = (path.strip(), tuple(_module_name(need) for need in needs.split()))
    return known


def _module_name(path: str) -> str:
    return Path(path.strip()).name.partition(".ko")[0].replace("-", "_")


@lru_cache(maxsize=64)
def _description(path: str) -> str:
    """Description that a module's author gave it; empty where the file cannot be read."""
    with contextlib.suppress(OSError, lzma.LZMAError, EOFError):
        data = Path(path).read_bytes()[:MAX_MODULE_BYTES]
        if path.endswith(".xz"):
            data = lzma.decompress(data)
        begin = data.find(b"description=")
        if begin >= 0:
            return data[begin + len(b"description=") : data.find(b"\0", begin)].decode(errors="replace")
    return ""


def _lines(path: Path) -> list[str]:
    try:
        return path.read_text(errors="replace").splitlines()
    except OSError:
        return []
