"""Make the Debian package: usage make_deb.py FOLDER, with the libraries of requirements/
package.txt.

PyInstaller gathers the program with its own Python; what Debian has itself (X, fonts, OpenGL) the
package asks for.
"""

import gzip
import hashlib
import os
import shutil
import subprocess
import sys
from datetime import UTC, datetime
from pathlib import Path

ROOT = Path(__file__).parents[1]
sys.path.insert(0, str(ROOT))

from command_pages import completion, man_page

from olive_almanac import __version__
from olive_almanac.views.headless import use_virtual_screen

PACKAGING = ROOT / "packaging"
NAME = "olive-almanac"
ICON_SIZES = (16, 22, 24, 32, 48, 64, 128, 256, 512)
MAINTAINER = "The Olive Almanac developers <developers@olive-almanac.invalid>"
SUMMARY = "plan, read and decide laser test coupons, keep a book of settings"
TELLS = """\
 For whoever runs a few laser machines in a small shop: it plans small test
 coupons of power and speed, takes their reading by eye or by a photo, decides
 on a setting with a known margin, keeps a book in which every number carries
 its evidence, lays finished drawings on real sheets by that book, and follows
 how true each machine burns.
"""
ALSO = "fontconfig", "libxcb-cursor0", "shared-mime-info"  # loaded by name, not linked


def run(*command, **more):
    return subprocess.run(command, check=True, text=True, **more)


def gather(build: Path) -> Path:
    """Run PyInstaller; return the folder of the program with all it carries."""
    run(
        *(sys.executable, "-m", "PyInstaller", "--noconfirm", "--log-level", "ERROR"),
        *("--distpath", str(build / "dist"), "--workpath", str(build / "work")),
        str(PACKAGING / "olive-almanac.spec"),
    )
    return build / "dist" / NAME


def packages_needed(program: Path) -> list[str]:
    """The packages of Debian that hold the libraries the program links to and does not carry."""
    files = [path for path in program.rglob("*") if path.is_file() and not path.is_symlink()]
    elf = [path for path in files if path.open("rb").read(4) == b"\x7fELF"]
    carried = {path.name for path in program.rglob("*.so*")}
    said = run("objdump", "-p", *map(str, elf), capture_output=True).stdout
    needed = {line.split()[1] for line in said.splitlines() if line.strip().startswith("NEEDED")}
    known = run("/sbin/ldconfig", "-p", capture_output=True).stdout
    places = {line.split()[0]: line.split()[-1] for line in known.splitlines() if "=>" in line}
    packages = set(ALSO)
    for name in sorted(needed - carried):
        place = Path(places[name]).resolve()
        packages.add(owner_of(place))
    packages.remove("libc6")
    version = os.confstr("CS_GNU_LIBC_VERSION").split()[1]
    packages.add(f"libc6 (>= {version})")
    return sorted(packages)


def owner_of(place: Path) -> str:
    """The package that a file of the system comes from."""
    names = (str(place), str(place).removeprefix("/usr"))
    for name in names:
        found = subprocess.run(("dpkg", "-S", name), capture_output=True, text=True)
        if found.returncode == 0:
            return found.stdout.split(":")[0]
    raise SystemExit(f"No package of Debian owns {place}.")


def draw_icons(share: Path) -> None:
    """Write the icon as it is and in the usual sizes."""
    use_virtual_screen()
    from PySide6.QtGui import QGuiApplication, QImage, QPainter
    from PySide6.QtSvg import QSvgRenderer

    application = QGuiApplication.instance() or QGuiApplication([])
    drawing = ROOT / "olive_almanac" / "views" / "icon.svg"
    renderer = QSvgRenderer(str(drawing))
    for size in ICON_SIZES:
        image = QImage(size, size, QImage.Format.Format_ARGB32)
        image.fill(0)
        painter = QPainter(image)
        renderer.render(painter)
        painter.end()
        put(share / f"icons/hicolor/{size}x{size}/apps/{NAME}.png")
        image.save(str(share / f"icons/hicolor/{size}x{size}/apps/{NAME}.png"))
    put(share / f"icons/hicolor/scalable/apps/{NAME}.svg", drawing.read_bytes())
    del application


def put(path: Path, content: bytes | None = None) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    if content is not None:
        path.write_bytes(content)


def zipped(text: str) -> bytes:
    return gzip.compress(text.encode(), compresslevel=9, mtime=0)


def lay_out(tree: Path, program: Path) -> None:
    """Lay the files of the package out as they are to lie on the disk."""
    share = tree / "usr" / "share"
    put(tree / "usr/lib" / NAME)
    shutil.copytree(program, tree / "usr/lib" / NAME, symlinks=True)
    (tree / "usr/bin").mkdir(parents=True)
    (tree / "usr/bin" / NAME).symlink_to(f"../lib/{NAME}/{NAME}")
    put(share / f"applications/{NAME}.desktop", (PACKAGING / f"{NAME}.desktop").read_bytes())
    for path in PACKAGING.glob("*.metainfo.xml"):
        put(share / "metainfo" / path.name, path.read_bytes())
    put(share / f"mime/packages/{NAME}.xml", (PACKAGING / "mime.xml").read_bytes())
    put(share / f"man/man1/{NAME}.1.gz", zipped(man_page()))
    put(share / f"bash-completion/completions/{NAME}", completion("bash").encode())
    put(share / f"zsh/vendor-completions/_{NAME}", completion("zsh").encode())
    put(share / f"doc/{NAME}/copyright", (PACKAGING / "copyright").read_bytes())
    changes = (
        f"{NAME} ({__version__}) unstable; urgency=medium\n\n  * See CHANGELOG.md of the source.\n"
        f"\n -- {MAINTAINER}  {datetime.now(UTC):%a, %d %b %Y %H:%M:%S} +0000\n"
    )
    put(share / f"doc/{NAME}/changelog.gz", zipped(changes))
    put(share / f"lintian/overrides/{NAME}", (PACKAGING / "lintian-overrides").read_bytes())
    draw_icons(share)


def set_modes(tree: Path) -> None:
    """Give every folder and file the mode that Debian gives it."""
    for path in tree.rglob("*"):
        if path.is_symlink():
            continue
        elf = path.is_file() and path.open("rb").read(4) == b"\x7fELF"
        runs = path.is_dir() or (elf and ".so" not in path.name)
        path.chmod(0o755 if runs else 0o644)


def write_control(tree: Path, program: Path) -> str:
    """Write the control files; return the architecture."""
    architecture = run("dpkg", "--print-architecture", capture_output=True).stdout.strip()
    files = sorted(path for path in tree.rglob("*") if path.is_file() and not path.is_symlink())
    size = sum(path.stat().st_size for path in files)
    control = tree / "DEBIAN"
    control.mkdir()
    (control / "control").write_text(
        f"Package: {NAME}\nVersion: {__version__}\nArchitecture: {architecture}\n"
        f"Maintainer: {MAINTAINER}\nInstalled-Size: {size // 1024}\nSection: science\n"
        f"Priority: optional\nDepends: {', '.join(packages_needed(program))}\n"
        f"Description: {SUMMARY}\n{TELLS}"
    )
    sums = (
        f"{hashlib.md5(path.read_bytes(), usedforsecurity=False).hexdigest()}  "
        f"{path.relative_to(tree)}\n"
        for path in files
    )
    (control / "md5sums").write_text("".join(sums))
    return architecture


def main(target: Path) -> None:
    build = ROOT / "build"
    tree = build / "deb"
    shutil.rmtree(tree, ignore_errors=True)
    tree.mkdir(parents=True)
    print("Gathering the program with its libraries (about 2 minutes) ...", flush=True)
    program = gather(build)
    lay_out(tree, program)
    set_modes(tree)
    architecture = write_control(tree, program)
    target.mkdir(parents=True, exist_ok=True)
    package = target / f"{NAME}_{__version__}_{architecture}.deb"
    print("Packing ...", flush=True)
    run("dpkg-deb", "--root-owner-group", "-Zxz", "-z2", "--build", str(tree), str(package))
    print(f"{package}: {package.stat().st_size / 1e6:.0f} MB")


if __name__ == "__main__":
    os.umask(0o022)
    main(Path(sys.argv[1]))
