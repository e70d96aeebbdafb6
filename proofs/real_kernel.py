"""The kernel's driver against a real kernel: Debian's own, booted in plain emulation with its virtual test receiver.

The host's files are mounted read-only with an overlay above, so the machine inside runs this very tree and environment.
"""

import json
import os
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

HERE = Path(__file__).resolve().parents[1]
BUSYBOX = Path("/bin/busybox")
# Modules that the first stage needs to reach the host's files.
MODULES = ("virtio_pci", "9pnet_virtio", "9p", "overlay")
# The whole machine gets this long: emulation is some fifteen times slower than the processor.
PATIENCE_S = 1500
INIT = """#!/bin/busybox sh
B=/bin/busybox
$B mkdir -p /proc /host /over /new
$B mount -t proc p /proc
for module in /modules/*.ko; do $B insmod $module; done
$B mount -t 9p -o trans=virtio,version=9p2000.L,msize=524288,ro,cache=loose host /host
$B mount -t tmpfs t /over
$B mkdir /over/upper /over/work
$B mount -t overlay -o lowerdir=/host,upperdir=/over/upper,workdir=/over/work o /new
$B mount -t proc p /new/proc
$B mount -t sysfs s /new/sys
$B mount -t devtmpfs d /new/dev
$B mount -t tmpfs t /new/tmp
$B mkdir -p /new/dev/shm
$B mount -t tmpfs t /new/dev/shm
echo READY
export PATH=/usr/sbin:/usr/bin:/sbin:/bin HOME=/tmp XDG_DATA_HOME=/tmp/data XDG_STATE_HOME=/tmp/state
export OPENBLAS_NUM_THREADS=1 PYTHONDONTWRITEBYTECODE=1
$B chroot /new /bin/sh -c "cd @HERE@ && @PROGRAM@ -u proofs/real_kernel_guest.py"
$B poweroff -f
"""


def prove() -> bool:
    """Boots, runs all steps, tells each with its figure."""
    kernel = max(Path("/boot").glob("vmlinuz-*"), default=None)
    if kernel is None or not shutil.which("qemu-system-x86_64") or not BUSYBOX.exists():
        print("MISS no kernel, qemu-system-x86_64 or busybox: ./yard proof installs linux-image-amd64, "
              "qemu-system-x86, busybox-static, kmod, cpio")  # fmt: skip
        return False
    with tempfile.TemporaryDirectory() as folder:
        archive = _first_stage(Path(folder), kernel.name.removeprefix("vmlinuz-"))
        return _run(kernel, archive)


def _first_stage(folder: Path, version: str) -> Path:
    """Archive with busybox, the modules in the order in which they are needed, and the script above."""
    root = folder / "root"
    for name in ("bin", "modules"):
        (root / name).mkdir(parents=True)
    shutil.copy(BUSYBOX, root / "bin/busybox")
    lines: list[str] = []
    for module in MODULES:
        shown = subprocess.run(
            ["/sbin/modprobe", "-S", version, "--show-depends", module], capture_output=True, text=True, check=True
        )
        lines += [line.split()[1] for line in shown.stdout.splitlines() if line.startswith("insmod")]
    for number, path in enumerate(dict.fromkeys(lines)):
        shutil.copy(path, root / "modules" / f"{number:02d}.ko")
    init = root / "init"
    init.write_text(INIT.replace("@HERE@", str(HERE)).replace("@PROGRAM@", sys.executable))
    init.chmod(0o755)
    archive = folder / "first-stage.cpio"
    names = "\n".join(str(path.relative_to(root)) for path in sorted(root.rglob("*")))
    with archive.open("wb") as out:
        subprocess.run(["cpio", "-o", "-H", "newc", "--quiet"], input=names.encode(), stdout=out, cwd=root, check=True)
    return archive


def _run(kernel: Path, archive: Path) -> bool:
    machine = subprocess.Popen(
        [
            "qemu-system-x86_64", "-M", "q35", "-cpu", "max", "-accel", "tcg,thread=multi", "-smp", "2", "-m", "2000",
            "-kernel", str(kernel), "-initrd", str(archive),
            "-append", "console=ttyS0 quiet loglevel=1 edd=off nokaslr panic=-1",
            "-display", "none", "-monitor", "none", "-serial", "stdio", "-no-reboot", "-nic", "none",
            "-fsdev", "local,id=host,path=/,security_model=none,readonly=on,multidevs=remap",
            "-device", "virtio-9p-pci,fsdev=host,mount_tag=host",
        ],
        stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, text=True, errors="replace",
    )  # fmt: skip
    assert machine.stdout is not None
    good, ended, begun_s = True, False, time.monotonic()
    try:
        os.set_blocking(machine.stdout.fileno(), True)
        for line in machine.stdout:
            if "READY" in line:
                print(f"ok   ready after {time.monotonic() - begun_s:.0f} s", flush=True)
            elif line.startswith("STEP "):
                step = json.loads(line[5:])
                good, ended = good and step["good"], ended or step["step"] == "end"
                print(f"{'ok  ' if step['good'] else 'MISS'} {step['step']}: {step['figure']}", flush=True)
            elif "YARD_VERBOSE" in os.environ or "Traceback" in line:
                print(line.rstrip(), flush=True)
            if time.monotonic() - begun_s > PATIENCE_S:
                break
    finally:
        machine.kill()
        machine.wait()
    if not ended:
        print("MISS the machine ended before its last step")
    return good and ended
