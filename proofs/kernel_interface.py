"""The kernel's interface for receivers: sizes and numbers as the C compiler has them, and a long run over faults."""

import ctypes
import subprocess
import tempfile
from pathlib import Path

import numpy as np
from linuxpy.video import raw

import kernel_node
from kernel_node import KernelStandIn
from yarddial.drivers.held import HeldDevice
from yarddial.drivers.kernel import requests
from yarddial.drivers.kernel.driver import KernelDriver
from yarddial.drivers.kernel.formats import FORMATS, four_cc
from yarddial.drivers.protocol import RequestedSettings
from yarddial.drivers.time_source import RealTime

STRUCTS = {
    "QUERYCAP": "capability", "ENUM_FMT": "fmtdesc", "S_FMT": "format", "REQBUFS": "requestbuffers",
    "QUERYBUF": "buffer", "QBUF": "buffer", "DQBUF": "buffer", "G_CTRL": "control", "S_CTRL": "control",
    "G_TUNER": "tuner", "QUERYCTRL": "queryctrl", "G_FREQUENCY": "frequency", "S_FREQUENCY": "frequency",
    "ENUM_FREQ_BANDS": "frequency_band",
}  # fmt: skip
FIELDS = (
    ("capability", "card"), ("capability", "capabilities"), ("capability", "device_caps"), ("fmtdesc", "pixelformat"),
    ("fmtdesc", "flags"), ("format", "fmt"), ("requestbuffers", "count"), ("requestbuffers", "memory"),
    ("buffer", "bytesused"), ("buffer", "flags"), ("buffer", "timestamp"), ("buffer", "sequence"), ("buffer", "memory"),
    ("buffer", "m"), ("buffer", "length"), ("tuner", "type"), ("frequency", "frequency"),
    ("frequency_band", "capability"), ("frequency_band", "rangelow"), ("frequency_band", "rangehigh"),
    ("queryctrl", "minimum"), ("queryctrl", "maximum"), ("queryctrl", "step"), ("queryctrl", "flags"),
    ("control", "value"),
)  # fmt: skip
CONSTANTS = {
    "V4L2_CAP_SDR_CAPTURE": requests.CAN_SDR, "V4L2_CAP_STREAMING": requests.CAN_STREAM,
    "V4L2_BUF_TYPE_SDR_CAPTURE": requests.SDR_CAPTURE_TYPE, "V4L2_MEMORY_MMAP": requests.MEMORY_MAPPED,
    "V4L2_TUNER_SDR": requests.SDR_TUNER, "V4L2_TUNER_RF": requests.RF_TUNER,
    "V4L2_TUNER_CAP_1HZ": requests.IN_HERTZ, "V4L2_TUNER_CAP_LOW": requests.IN_62_5_HERTZ,
    "V4L2_BUF_FLAG_ERROR": requests.BUFFER_ERROR_FLAG,
    "V4L2_BUF_FLAG_TIMESTAMP_MONOTONIC": requests.MONOTONIC_STAMP_FLAG,
    "V4L2_CTRL_FLAG_DISABLED": requests.CONTROL_DISABLED_FLAG, "V4L2_FMT_FLAG_EMULATED": requests.FORMAT_EMULATED_FLAG,
} | {f"V4L2_SDR_FMT_{name}": four_cc(letters) for name, (letters, _, _) in FORMATS.items()}  # fmt: skip
CONTROLS = ("RF_GAIN", "LNA_GAIN", "LNA_GAIN_AUTO", "MIXER_GAIN", "MIXER_GAIN_AUTO", "IF_GAIN", "IF_GAIN_AUTO",
            "BANDWIDTH", "BANDWIDTH_AUTO", "PLL_LOCK")  # fmt: skip


def prove() -> bool:
    """Both."""
    return all([_header(), _faults()])


def _header() -> bool:
    """What the compiler prints of `linux/videodev2.h`, against ours and against the stand-in's own packing."""
    ours: dict[str, int] = {}
    lines: list[str] = []
    for name, struct in STRUCTS.items():
        ours[f"VIDIOC_{name}"] = raw.IOC[name].value & 0xFFFF_FFFF
        lines.append(f'printf("VIDIOC_{name} %lu\\n", (unsigned long)(unsigned)VIDIOC_{name});')
        ours[f"sizeof v4l2_{struct}"] = ctypes.sizeof(getattr(raw, f"v4l2_{struct}"))
        lines.append(f'printf("sizeof v4l2_{struct} %zu\\n", sizeof(struct v4l2_{struct}));')
    for name in ("STREAMON", "STREAMOFF"):
        ours[f"VIDIOC_{name}"] = raw.IOC[name].value & 0xFFFF_FFFF
        lines.append(f'printf("VIDIOC_{name} %lu\\n", (unsigned long)(unsigned)VIDIOC_{name});')
    for struct, field in FIELDS:
        ours[f"{struct}.{field}"] = getattr(getattr(raw, f"v4l2_{struct}"), field).offset
        lines.append(f'printf("{struct}.{field} %zu\\n", offsetof(struct v4l2_{struct}, {field}));')
    for name, value in CONSTANTS.items():
        ours[name] = value
        lines.append(f'printf("{name} %lu\\n", (unsigned long)(unsigned){name});')
    for name in CONTROLS:
        ours[f"V4L2_CID_RF_TUNER_{name}"] = raw.ControlID[f"RF_TUNER_{name}"].value
        lines.append(f'printf("V4L2_CID_RF_TUNER_{name} %lu\\n", (unsigned long)V4L2_CID_RF_TUNER_{name});')
    with tempfile.TemporaryDirectory() as folder:
        source = Path(folder) / "header.c"
        source.write_text(
            "#include <stddef.h>\n#include <stdio.h>\n#include <linux/videodev2.h>\nint main(void) {\n"
            + "\n".join(lines) + "\nreturn 0; }\n"
        )  # fmt: skip
        subprocess.run(["cc", "-o", f"{folder}/header", str(source)], check=True)
        told = subprocess.run([f"{folder}/header"], check=True, capture_output=True, text=True).stdout
    compiler = {line.rpartition(" ")[0]: int(line.rpartition(" ")[2]) for line in told.splitlines()}
    wrong = [name for name, value in ours.items() if compiler[name] != value]
    standin = {f"VIDIOC_{name}": getattr(kernel_node, name) for name in (*STRUCTS, "STREAMON", "STREAMOFF")}
    wrong += [f"stand-in's {name}" for name, value in standin.items() if compiler[name] != value]
    print(
        f"{'MISS' if wrong else 'ok  '} {len(ours)} sizes, offsets, requests and constants and {len(standin)} of the "
        f"stand-in's against the C compiler: {len(wrong)} differ {wrong}"
    )
    return not wrong


def _faults() -> bool:
    """Five formats, twenty mixtures of faults each: lost buffers and read errors over retunes, broken ones without."""
    wrong = buffers = lost_all = retunes = 0
    with tempfile.TemporaryDirectory() as folder:
        root = Path(folder)
        for place in ("sys/class/video4linux/swradio0", "dev"):
            (root / place).mkdir(parents=True)
        (root / "dev/swradio0").touch()
        for letters in FORMATS:
            for seed in range(20):
                chance = np.random.default_rng((len(letters), seed))
                faults = {"drop_every": int(chance.integers(3, 30)), "eio_every": int(chance.integers(7, 60))}
                turns = 30
                if seed % 2:
                    # A broken buffer that is thrown away as stale is not lost, and nobody outside can tell which was.
                    faults["broken_every"], turns = int(chance.integers(5, 40)), 1
                size = kernel_node.BYTES[letters]
                standin = KernelStandIn(lambda n, count, c, r, size=size: bytes(size * count), (letters,), **faults)
                device = HeldDevice(KernelDriver(root, standin).open("swradio0", RealTime()))
                lost = 0
                for turn in range(turns):
                    rate_hz = 2.048e6 if letters != "RU12LE" else 1.024e6
                    device.apply(RequestedSettings(100e6 + 1e5 * turn, rate_hz))
                    retunes += 1
                    for _ in range(4 if turns > 1 else 120):
                        block = device.read()
                        assert block is not None
                        lost += block.lost
                device.close()
                each = standin.buffer_bytes // size // (2 if letters == "RU12LE" else 1)
                gone = standin.dropped_buffers + standin.broken_buffers
                # What was dropped after the last block that was read, nobody can know.
                wrong += lost not in (each * gone, each * (gone - 1))
                buffers += standin.filled
                lost_all += lost
    good = wrong == 0
    print(
        f"{'ok  ' if good else 'MISS'} {5 * 20} runs, {buffers} buffers, {retunes} settings, {lost_all} samples lost: "
        f"miscounted in {wrong}"
    )
    return good
