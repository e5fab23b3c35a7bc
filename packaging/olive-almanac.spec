"""How PyInstaller gathers the program: run by scripts/make_deb.py, in the folder above this one."""

import sys
from pathlib import Path

from PyInstaller.utils.hooks import collect_data_files, collect_submodules

ROOT = Path(SPECPATH).parent  # noqa: F821
PACKAGE = ROOT / "olive_almanac"
sys.path.insert(0, str(ROOT))
SQL = ("sqlalchemy.dialects.sqlite", "sqlalchemy.dialects.postgresql")
READ_AS_FILES = ("storage/alembic_door", "storage/migrations")  # Alembic runs them from their place
OURS = ("libcrypto", "libssl", "libsqlite3", "libffi", "libpython", "libuuid", "libbz2", "liblzma")
SYSTEM = ("/lib/", "/usr/lib/")
UNUSED_PLUGINS = ("platformthemes/libqgtk3", "platforms/libqvnc", "platforms/libqlinuxfb")


def is_of_the_system(entry):
    """Whether a library comes with Debian's own packages, which the package then asks for."""
    _, place, _ = entry
    return place.startswith(SYSTEM) and not Path(place).name.startswith(OURS)


gathered = Analysis(  # noqa: F821
    [str(ROOT / "packaging" / "start.py")],
    pathex=[str(ROOT)],
    datas=[
        *collect_data_files("olive_almanac"),
        *((str(PACKAGE / place), f"olive_almanac/{place}") for place in READ_AS_FILES),
        (str(ROOT / "docs" / "guide"), "olive_almanac/guide/guide"),
        (str(ROOT / "docs" / "screenshots"), "olive_almanac/guide/screenshots"),
        *((str(path), "olive_almanac/guide") for path in (ROOT / "docs").glob("*.md")),
    ],
    hiddenimports=[
        *collect_submodules("olive_almanac"),
        *collect_submodules("alembic.ddl"),
        *(name for dialect in SQL for name in collect_submodules(dialect)),
        "logging.config",
        "icalendar",
    ],
    excludes=["tkinter", "matplotlib", "PIL.ImageTk"],
)
left = [entry for entry in gathered.binaries if is_of_the_system(entry)]
(Path(DISTPATH) / "of-the-system.txt").write_text(  # noqa: F821
    "".join(f"{place}\n" for _, place, _ in left)
)
kept = [
    entry
    for entry in gathered.binaries
    if entry not in left and not any(name in entry[0] for name in UNUSED_PLUGINS)
]
program = EXE(  # noqa: F821
    PYZ(gathered.pure),  # noqa: F821
    gathered.scripts,
    exclude_binaries=True,
    name="olive-almanac",
    console=True,
)
COLLECT(program, kept, gathered.datas, name="olive-almanac")  # noqa: F821
