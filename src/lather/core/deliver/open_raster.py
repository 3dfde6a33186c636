"""OpenRaster (https://www.openraster.org, version 0.0.6): a layer per Lather layer, to carry the picture elsewhere.

A Lather layer is a recipe on what lies beneath it. Here each becomes what it changed, opaque: laid over one another in
the normal way they give the finished picture to the last code. Layers that are off come along hidden.
"""

import io
import zipfile
from collections.abc import Callable
from dataclasses import replace
from xml.sax.saxutils import quoteattr

import cv2
import numpy as np

from lather.core.colour import profiles
from lather.core.deliver.export import Output, finished, strips, to_codes
from lather.core.engine.engine import Engine
from lather.core.errors import Cancelled
from lather.core.imageio.png import encode_png
from lather.core.imageio.zips import add_member
from lather.core.job.model import Job, Layer

MIMETYPE = "image/openraster"
_THUMBNAIL_PX = 256


def write_open_raster(
    file, engine: Engine, job: Job, output: Output, progress: Callable[[float], bool] | None = None
) -> np.ndarray:
    """Write to an open binary file; returns the codes of the finished picture. Raises Cancelled.

    8 bits a channel, rounded by place as all outputs are, so that what a layer did not touch is the same code.
    """
    layers = [(stage.id, layer) for stage in job.stages for layer in stage.layers]
    states = len(layers) + 1
    stack: list[tuple[str, str, bool]] = []

    def tell(state: int) -> Callable[[float], bool]:
        return lambda share: progress is None or progress((state + share) / states)

    with zipfile.ZipFile(file, "w", zipfile.ZIP_STORED) as archive:
        add_member(archive, "mimetype", MIMETYPE)
        under = whole = _codes(engine, _only(job, []), output, tell(0))
        add_member(archive, "data/photo.png", _png(under))
        stack.append((job.source.name or "Photo", "data/photo.png", True))
        shown: list[str] = []
        for number, (stage_id, layer) in enumerate(layers, 1):
            visible = layer.on and job.stage(stage_id).on
            over = _codes(engine, _only(job, [*shown, layer.id], force=layer.id), output, tell(number))
            changed = (over != under).any(-1)
            name = f"data/layer-{number:03d}.png"
            add_member(archive, name, _png(over, changed))
            stack.append((_layer_name(stage_id, layer), name, visible))
            if visible:
                shown.append(layer.id)
                under = whole = over
        height, width = whole.shape[:2]
        add_member(archive, "mergedimage.png", _png(whole))
        shrink = min(1.0, _THUMBNAIL_PX / max(width, height))
        small = cv2.resize(whole, None, fx=shrink, fy=shrink, interpolation=cv2.INTER_AREA)
        add_member(archive, "Thumbnails/thumbnail.png", _png(small))
        add_member(archive, "stack.xml", _stack_xml(width, height, stack, output.ppi or engine.photo.picture.ppi))
    return whole


def read_open_raster(data: bytes) -> tuple[np.ndarray, np.ndarray]:
    """(the merged picture, the layers composed anew), uint8 (h, w, 3). Raises ValueError or KeyError if it is none."""
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        if archive.namelist()[0] != "mimetype" or archive.read("mimetype").decode() != MIMETYPE:
            raise ValueError("no OpenRaster")
        broken = archive.testzip()
        if broken:
            raise ValueError(f"{broken} is damaged")
        merged = _decoded(archive.read("mergedimage.png"))
        composed = _decoded(archive.read("data/photo.png"))
        stack = archive.read("stack.xml").decode()
        for name in sorted(n for n in archive.namelist() if n.startswith("data/layer-")):
            at = stack.index(f'src="{name}"')
            if 'visibility="hidden"' in stack[at : stack.index("/>", at)]:
                continue
            layer = _decoded(archive.read(name))
            composed = np.where(layer[..., 3:] > 0, layer[..., :3], composed)
    return merged, composed


def _decoded(data: bytes) -> np.ndarray:
    codes = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    if codes is None:
        raise ValueError("a picture in it cannot be read")
    return codes[..., [2, 1, 0, *([3] if codes.shape[2] == 4 else [])]]


def _only(job: Job, layer_ids: list[str], force: str = "") -> Job:
    """The job with just these layers on."""
    stages = []
    for stage in job.stages:
        layers = tuple(replace(x, on=x.id in layer_ids and (x.on or x.id == force)) for x in stage.layers)
        stages.append(replace(stage, layers=layers, on=stage.on or any(x.id == force for x in stage.layers)))
    return replace(job, stages=tuple(stages))


def _codes(engine: Engine, job: Job, output: Output, tell: Callable[[float], bool]) -> np.ndarray:
    photo, target = engine.photo, output.profile_of(engine.photo.profile)
    scaled = output.size_of(photo.width, photo.height) != (photo.width, photo.height)
    whole = np.empty((photo.height, photo.width, 3), np.float32 if scaled else np.uint8)
    for rect, values in strips(engine, job):
        values = profiles.convert(values, photo.profile, target)
        whole[rect.y0 : rect.y1] = values if scaled else to_codes(values, 8, rect.y0)
        if not tell(rect.y1 / photo.height):
            raise Cancelled()
    return to_codes(finished(whole, output, target), 8) if scaled else whole


def _layer_name(stage_id: str, layer: Layer) -> str:
    return f"{stage_id.capitalize()}: {layer.name}"


def _png(codes: np.ndarray, opaque: np.ndarray | None = None) -> bytes:
    if opaque is not None:
        codes = np.dstack([codes * opaque[..., None], np.where(opaque, 255, 0).astype(np.uint8)])
    return encode_png(codes)


def _stack_xml(width: int, height: int, stack: list[tuple[str, str, bool]], ppi: float | None) -> str:
    resolution = f' xres="{round(ppi)}" yres="{round(ppi)}"' if ppi else ""
    layers = "\n".join(
        f'  <layer name={quoteattr(name)} src="{src}" x="0" y="0" opacity="1.0" '
        f'visibility="{"visible" if visible else "hidden"}" composite-op="svg:src-over"/>'
        for name, src, visible in reversed(stack)  # the first one in the file lies on top
    )
    return (f'<?xml version="1.0" encoding="UTF-8"?>\n<image version="0.0.6" w="{width}" h="{height}"{resolution}>\n'
            f' <stack>\n{layers}\n </stack>\n</image>\n')
