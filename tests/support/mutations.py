"""Files of every format Lather reads, and seeded damage to them: used by the tests and by benchmarks/fuzz_files.py."""

import io
import json
import tempfile
import warnings
import zipfile
from functools import cache
from pathlib import Path

import numpy as np
import tifffile
from PIL import Image

from lather.core.brush.values import Brush
from lather.core.colour.profiles import grey_profile, srgb_profile
from lather.core.engine.photo import Photo
from lather.core.imageio.read import decode_picture
from lather.core.job.commands import AddEdits, AddLayer, DecideFind, SetFaceMap, SetFinds, SetLayer, Together
from lather.core.job.face_map import POINTS, FaceMap
from lather.core.job.fence import Fence
from lather.core.job.finds import Find
from lather.core.job.history import History
from lather.core.job.model import Layer, Stroke, freeze_points, new_job
from lather.core.job.source_map import SourceTurn
from lather.core.session import Session
from tests.support.pictures import skin_like

WIDTH, HEIGHT = 96, 80
_VALUES = (
    0, -1, 1, 2**31 - 1, 2**31, 2**63, 1e9, -1e9, 1e15, 1e308, -1e308, 10**400, 0.5, 1e-308, None, True, False, "", "x",
    "x" * 5000, "../../etc/passwd", "\u0000", "\ud800", "1e9", [], {}, [[]], [None], {"id": None}, [1e9] * 4, "nan",
)


_NAMES = ("../x", "/abs", "a\\b", "C:x", "strokes/.npy", "patches/zz.0.0_0.png", "x/", "x" * 300)


def _pillow(fmt: str, mode: str = "RGB", **options) -> bytes:
    image = Image.fromarray(skin_like(HEIGHT, WIDTH, dtype=np.uint8)).convert(mode)
    exif = Image.Exif()
    exif[274], exif[315], exif[282] = 6, "somebody", 300
    exif.get_ifd(0x8825)[1] = "N"
    buffer = io.BytesIO()
    profile = {"icc_profile": grey_profile() if mode == "L" else srgb_profile()} if mode in ("RGB", "L") else {}
    image.save(buffer, fmt, **profile, **({"exif": exif.tobytes()} if fmt != "TIFF" else {}), **options)
    return buffer.getvalue()


def _tiff(pixels: np.ndarray, **options) -> bytes:
    buffer = io.BytesIO()
    tifffile.imwrite(buffer, pixels, iccprofile=srgb_profile(), resolution=(300, 300), **options)
    return buffer.getvalue()


@cache
def pictures() -> dict[str, bytes]:
    """Small whole pictures of all kinds, by name."""
    deep = skin_like(HEIGHT, WIDTH)
    png16 = io.BytesIO()
    Image.fromarray((deep[..., 0] // 2 + 5000).astype(np.uint16)).save(png16, "PNG")
    planes = np.moveaxis(deep, -1, 0).copy()
    return {
        "plain.jpg": _pillow("JPEG", quality=80), "progressive.jpg": _pillow("JPEG", progressive=True, dpi=(72, 72)),
        "grey.jpg": _pillow("JPEG", "L"), "ink.jpg": _pillow("JPEG", "CMYK"), "plain.png": _pillow("PNG"),
        "alpha.png": _pillow("PNG", "RGBA"), "palette.png": _pillow("PNG", "P"), "bits.png": _pillow("PNG", "1"),
        "grey16.png": png16.getvalue(), "plain.webp": _pillow("WEBP", quality=70),
        "lossless.webp": _pillow("WEBP", "RGBA", lossless=True), "deep.tif": _tiff(deep, photometric="rgb"),
        "packed.tif": _tiff(deep, photometric="rgb", compression="zlib", predictor=True),
        "lzw.tif": _tiff((deep // 257).astype(np.uint8), photometric="rgb", compression="lzw"),
        "tiled.tif": _tiff(deep, photometric="rgb", tile=(32, 32)),
        "planes.tif": _tiff(planes, photometric="rgb", planarconfig="separate"),
        "float.tif": _tiff(deep.astype(np.float32) / 65535, photometric="rgb"),
        "grey.tif": _tiff(deep[..., 0], photometric="minisblack"),
        "big.tif": _tiff(deep, photometric="rgb", bigtiff=True, byteorder=">"),
    }


@cache
def job_file() -> bytes:
    """A small job with every kind of layer, edit, find and command in it."""
    data = _pillow("PNG")
    photo = Photo(decode_picture(data), data, "photo.png")
    session = Session(photo, History(new_job(photo.source, title="Made up", kind="natural portrait",
                                             delivery={"medium": "screen", "long_edge_px": 60})))
    history = session.history

    def stroke(number: int, tool: str, **values) -> Stroke:
        points = freeze_points([[30 + 3 * number, 30, 1, 0], [36 + 3 * number, 36, 0.7, 0.2], [30, 44, 0.9, 0.3]])
        return Stroke(f"{tool}{number}", tool, Brush(size_px=12, edge=0.4, flow=0.7, build_up=number % 2 == 0), points,
                      **({"offset": (14, 9)} if tool in ("dab", "carry", "copy", "graft") else {}), **values)

    fence = Fence((((10.0, 10.0), (70.0, 10.0), (70.0, 60.0), (10.0, 60.0)),), 3.0)
    layer = history.job.stage("mend").layers[0].id
    history.do(AddEdits("mend", layer, (
        stroke(0, "dab", find="spot", note="dark spot"), stroke(1, "carry", turn=SourceTurn(True, 20.0, 1.2, (30, 30))),
        stroke(2, "copy", mode="lighter", fence=fence, own_texture=True), stroke(3, "graft", feather=2.0),
        stroke(4, "blend_in"), stroke(5, "drag"), stroke(6, "give_back"), stroke(7, "sweep", offset=(5, 3)),
    )))
    grain = {"level_percent": [[0.2, 0.6], [0.8, 0.4]], "size_px": 0.7, "chroma_share": 0.3}
    for stage, kind, settings, edit in (
        ("strands", "strands", {}, stroke(8, "strand")),
        ("split", "split", {"band": "tone", "width_px": 3.0, "edge_keeping": True}, stroke(9, "area")),
        ("grain", "grain", {"everywhere": True, "amount": 1.0, "grain": grain}, stroke(10, "grain")),
    ):
        made = Layer(f"{stage}-layer", stage, kind, settings=settings, fence=fence if stage == "split" else None)
        history.do(Together("both", (AddLayer(stage, made, 0), AddEdits(stage, made.id, (edit,)))))
    face = FaceMap({name: (20.0 + 5 * n, 20.0 + 4 * n) for n, name in enumerate(POINTS)})
    finds = (Find("spot", "blemish_dark", 30, 30, 8, 5, 0.9, "chin", outline=((28, 28), (32, 28), (30, 33))),
             Find("line", "crease", 40, 40, 20, 4, 0.8, "forehead", path=((30, 40), (50, 41)), width_px=3.0),
             Find("mole", "mole", 60, 50, 6, 9, 0.9, "nose", True))
    history.amend(SetFinds(finds, face))
    history.do(SetFaceMap(face))
    history.do(DecideFind("mole", "keep"))
    history.do(SetLayer("mend", layer, "strength", 0.7))
    history.undo()
    session.engine.pixels(session.job, photo.bounds)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "job.lather"
        session.save(path)
        return path.read_bytes()


def damaged_bytes(data: bytes, rng: np.random.Generator) -> bytes:
    """Bytes changed, cut off, doubled, left out, or set to the extremes of a number."""
    out = bytearray(data)
    for _ in range(int(rng.integers(1, 6))):
        at, kind = int(rng.integers(0, max(1, len(out)))), int(rng.integers(0, 7))
        length = int(rng.integers(1, 64))
        if kind == 0:
            out[at : at + 1] = bytes([int(rng.integers(256))])
        elif kind == 1:
            del out[at:]
        elif kind == 2:
            out[at:at] = out[at : at + length] * int(rng.integers(1, 5))
        elif kind == 3:
            del out[at : at + length]
        elif kind == 4:
            out[at : at + 4] = (b"\xff\xff\xff\xff", b"\0\0\0\0", b"\x7f\xff\xff\xff", b"\0\0\x4e\x20")[rng.integers(4)]
        elif kind == 5:
            out[at : at + length] = rng.integers(0, 256, length).astype(np.uint8).tobytes()
        else:  # headers are where numbers are
            at = int(rng.integers(0, min(len(out), 400) or 1))
            out[at : at + 2] = rng.integers(0, 256, 2).astype(np.uint8).tobytes()
    return bytes(out)


def damaged_json(data: bytes, rng: np.random.Generator) -> bytes:
    """A document with values replaced, keys taken out, and lists made long."""
    document = json.loads(data)
    for _ in range(int(rng.integers(1, 4))):
        holder, key = _somewhere(document, rng)
        if holder is None:
            continue
        kind = int(rng.integers(0, 6))
        value = holder[key]
        if kind <= 2:
            holder[key] = _VALUES[int(rng.integers(len(_VALUES)))]
        elif kind == 3:
            del holder[key]
        elif kind == 4 and isinstance(value, list) and value:
            holder[key] = value * int(rng.integers(2, 400))
        elif isinstance(value, int | float) and not isinstance(value, bool):
            holder[key] = float(min(value, 1e200)) * 10.0 ** float(rng.integers(-6, 12))
        else:
            deep: object = value
            for _ in range(int(rng.integers(2, 60))):
                deep = [deep]
            holder[key] = deep
    return json.dumps(document).replace('"nan"', ("NaN", "Infinity", "-Infinity", '"nan"')[rng.integers(4)]).encode()


def _somewhere(document: object, rng: np.random.Generator):
    """(holder, key) of a random place in a document."""
    holder, key, here = None, None, document
    while isinstance(here, dict | list) and here and (holder is None or rng.random() < 0.85):
        holder = here
        keys = list(here) if isinstance(here, dict) else range(len(here))
        key = keys[int(rng.integers(len(keys)))]
        here = here[key]
    return holder, key


def damaged_array(data: bytes, rng: np.random.Generator) -> bytes:
    """Pen points far off, without number, of another shape or type; or damaged bytes."""
    kind = int(rng.integers(0, 6))
    if kind == 0:
        return damaged_bytes(data, rng)
    points = np.load(io.BytesIO(data)).copy()
    if kind == 1:
        points[rng.integers(len(points)), rng.integers(4)] = (np.nan, np.inf, 1e9, -1e9, 1e38, 5e5)[rng.integers(6)]
    elif kind == 2:
        points = points.astype((np.float64, np.int8, np.complex64, np.float16)[rng.integers(4)])
    elif kind == 3:
        points = points.reshape(-1, 2) if rng.random() < 0.5 else points[:0]
    elif kind == 4:
        points = np.tile(points, (int(rng.integers(2, 2000)), 1))
    else:
        points = points * np.float32(10.0 ** rng.integers(-5, 8))
    buffer = io.BytesIO()
    np.save(buffer, points)
    return buffer.getvalue()


def damaged_job(data: bytes, rng: np.random.Generator) -> bytes:
    """A job file with its documents, arrays, patches, photo or directory damaged."""
    kind = int(rng.integers(0, 10))
    if kind == 0:
        return damaged_bytes(data, rng)
    buffer = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(buffer, "w") as new:
        names = old.namelist()
        some = {6: "strokes/", 7: ("patches/", "source/")}.get(kind, "")
        among = [name for name in names if name.startswith(some)]
        wanted = {1: ["job.json"], 2: ["job.json"], 3: ["job.json"], 4: ["history.json"],
                  5: ["job.json", "history.json"]}.get(kind, [among[int(rng.integers(len(among)))]])
        for item in old.infolist():
            part, name = old.read(item), item.filename
            if name in wanted:
                if kind in (8, 9):  # left out, doubled, or under another name
                    what = int(rng.integers(0, 4))
                    if what == 0:
                        continue
                    if what == 1:
                        name = _NAMES[int(rng.integers(len(_NAMES)))]
                    if what == 2:
                        new.writestr(name, part[: len(part) // 2])
                elif name.endswith(".json"):
                    part = damaged_json(part, rng) if rng.random() < 0.9 else damaged_bytes(part, rng)
                elif name.endswith(".npy"):
                    part = damaged_array(part, rng)
                else:
                    part = damaged_bytes(part, rng)
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")  # a name twice is what is wanted here
                new.writestr(name, part, zipfile.ZIP_DEFLATED if rng.random() < 0.3 else zipfile.ZIP_STORED)
    out = bytearray(buffer.getvalue())
    if kind == 9:
        at = out.rfind(b"PK\x01\x02", 0, int(rng.integers(len(out) // 2, len(out))))
        if at > 0:
            out[at + int(rng.integers(4, 46))] = int(rng.integers(256))
    return bytes(out)


def case(number: int) -> tuple[str, bytes]:
    """(file name, bytes) of case `number`: the same number gives the same case; a third are jobs."""
    rng = np.random.default_rng([77, number])
    if number % 3 == 0:
        return "job.lather", damaged_job(job_file(), rng)
    name = sorted(pictures())[int(rng.integers(len(pictures())))]
    return name, damaged_bytes(pictures()[name], rng)
