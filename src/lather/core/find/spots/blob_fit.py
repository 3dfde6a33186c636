"""One place measured as a blob: contrast against a plane through the ring around it, size at half height, shape.

Compiled, as some thousand places of a photo are measured before most of them turn out to be texture.
"""

import numpy as np

from lather.core.loop_parts import kth_smallest, solve_three
from lather.core.loops import loop

LOCAL_FEATURES = (
    "log_size_mm",
    "log_size_px",
    "contrast",  # filled in by the caller, with ΔE00 of all blobs at a time
    "d_l",
    "d_a",
    "d_b",
    "hue_sin",
    "hue_cos",
    "lean_b",
    "log_snr",  # the spread of the ring; turned into a ratio by the caller
    "elongation",
    "fill",
    "sharpness",
    "skin_share",
    "log_nearby",
    "lightness",
    "roundness",
    "clutter",
    "relief",
    "around_a",
    "around_b",
    "fine_inside",
    "d_pigment",
    "sure_l",
    "sure_a",
    "sure_b",
    "sure_pigment",
    *(f"mean_at_{r}" for r in ("0.2", "0.5", "0.8", "1.1", "1.5", "2.0")),
    *(f"spread_at_{r}" for r in ("0.2", "0.5", "0.8", "1.1", "1.5", "2.0")),
)
RIM_POINTS = 24
COLUMNS = 12  # x, y, size, the channels inside, the channels of the skin around, and 1 if a disc was measured
CHANNELS = 4  # L*, a*, b*, and pigment (see `spots.channels`)
_RADII = np.array([0.2, 0.5, 0.8, 1.1, 1.5, 2.0])  # in radii of the blob
_LEAST_STRENGTH, _LEAST_SKIN, _LEAST_AREA = 1.2, 0.45, 6
_DISC = 0.35  # of the proposed size: radius of what is measured where no blob is seen
_OFF, _SMALLER, _LARGER = 0.4, 0.4, 1.7  # of the proposed size, from where a blob is not the one that was meant
_RINGS_AT = LOCAL_FEATURES.index("mean_at_0.2")
(
    _LOG_SIZE_MM, _LOG_SIZE_PX, _D_L, _D_A, _D_B, _HUE_SIN, _HUE_COS, _LEAN_B, _LOG_SNR, _ELONGATION, _FILL,
    _SHARPNESS, _SKIN_SHARE, _LOG_NEARBY, _LIGHTNESS, _ROUNDNESS, _CLUTTER, _RELIEF, _AROUND_A, _AROUND_B,
    _FINE_INSIDE, _D_PIGMENT, _SURE_L,
) = (LOCAL_FEATURES.index(name) for name in (
    "log_size_mm", "log_size_px", "d_l", "d_a", "d_b", "hue_sin", "hue_cos", "lean_b", "log_snr", "elongation",
    "fill", "sharpness", "skin_share", "log_nearby", "lightness", "roundness", "clutter", "relief", "around_a",
    "around_b", "fine_inside", "d_pigment", "sure_l",
))


@loop(
    "f4[:, :, ::1], f4[:, ::1], f8[:, ::1], f8[:, ::1], f8, b1, f8[:, ::1], f8[:, ::1], f8[:, :, ::1]",
    fastmath=True,
)
def fit_blobs(values, bare, seeds, usual, per_mm, trusted, rows, features, rims):  # pragma: no cover - compiled
    """Measure `seeds` (n, 3: x, y, size in px) into rows (n, COLUMNS), features and rims (n, RIM_POINTS, 2).

    values: (h, w, CHANNELS). usual: (n, CHANNELS), how far each channel goes up and down around a seed by itself: what
    is busy there (L* in a highlight, say) tells little. A place that is no blob (too little skin around it, no
    change, no closed outline) keeps size 0; if the seeds are `trusted`, a disc is measured there, and also where the
    blob is another one (a glint in the middle of a flaw, say).
    """
    for n in range(seeds.shape[0]):
        x, y, size = seeds[n, 0], seeds[n, 1], seeds[n, 2]
        reach = int(np.ceil(1.9 * size)) + 3
        x0, y0 = max(0, int(x) - reach), max(0, int(y) - reach)
        part = values[y0 : int(y) + reach + 1, x0 : int(x) + reach + 1]
        skin = bare[y0 : int(y) + reach + 1, x0 : int(x) + reach + 1]
        _fit(part, skin, x - x0, y - y0, size, usual[n], per_mm, trusted, rows[n], features[n], rims[n])
        if rows[n, 2] > 0:
            rows[n, 0] += x0
            rows[n, 1] += y0
            for k in range(rims.shape[1]):
                rims[n, k, 0] += x0
                rims[n, k, 1] += y0


@loop(fastmath=True)
def _fit(part, skin, x, y, size, usual, per_mm, trusted, row, feature, rim):  # pragma: no cover - compiled
    height, width = skin.shape
    ring = np.zeros((height, width), np.bool_)
    count, whole = 0, 0
    for j in range(height):
        for i in range(width):
            r = np.hypot(i + 0.5 - x, j + 0.5 - y) / size
            if 0.95 < r < 1.75:
                whole += 1
                if skin[j, i] > 0.5:
                    ring[j, i] = True
                    count += 1
    share = count / max(1, whole)
    if count < 12 or share < _LEAST_SKIN:
        return
    off = np.empty(part.shape, np.float32)
    around = np.zeros(CHANNELS)
    spread = _off_the_plane(part, ring, x, y, size, off, around)
    signal = np.empty((height, width), np.float32)
    if not _signal(off, x, y, size, usual, 0.0 if trusted else _LEAST_STRENGTH, signal):
        return
    own = np.zeros((height, width), np.bool_)
    area = _own_region(signal, skin, x, y, size, own)
    disc = trusted and (area < _LEAST_AREA or _is_another(own, area, x, y, size))
    if disc:
        area = _fill_disc(own, x, y, max(_DISC * size, 1.5))
    if area < _LEAST_AREA:
        return
    _shape(part, off, signal, ring, own, area, around, usual, disc, row, feature, rim)
    feature[_LOG_SIZE_MM], feature[_LOG_SIZE_PX] = np.log(row[2] / per_mm), np.log(row[2])
    feature[_LOG_SNR], feature[_SKIN_SHARE] = spread, share


@loop(fastmath=True)
def _is_another(own, area, x, y, size):  # pragma: no cover - compiled
    cx, cy = 0.0, 0.0
    for j in range(own.shape[0]):
        for i in range(own.shape[1]):
            if own[j, i]:
                cx += (i + 0.5) / area
                cy += (j + 0.5) / area
    across = 2 * np.sqrt(area / np.pi)
    return np.hypot(cx - x, cy - y) > _OFF * size or across < _SMALLER * size or across > _LARGER * size


@loop(fastmath=True)
def _fill_disc(own, x, y, radius):  # pragma: no cover - compiled
    """Makes own a disc; returns its area. The part's rim stays free, as the shape is measured from its neighbours."""
    area = 0
    height, width = own.shape
    for j in range(height):
        for i in range(width):
            own[j, i] = (
                0 < j < height - 1 and 0 < i < width - 1 and np.hypot(i + 0.5 - x, j + 0.5 - y) < radius
            )
            area += own[j, i]
    return area


@loop(fastmath=True)
def _off_the_plane(part, ring, x, y, size, off, around):  # pragma: no cover - compiled
    """part less a plane through its ring (three trimmed rounds); `around`: the ring's mean. Returns the ring's spread.

    The spread is taken on 3×3 means, as grain of single pixels says nothing about skin.
    """
    height, width = ring.shape
    limit = 1e9
    for turn in range(3):
        m, k = np.zeros((3, 3)), np.zeros((3, CHANNELS))
        for j in range(height):
            for i in range(width):
                if ring[j, i] and (turn == 0 or _length(off, j, i) < limit):
                    u, v = (i + 0.5 - x) / size, (j + 0.5 - y) / size
                    m[0, 0] += 1.0
                    m[0, 1] += u
                    m[0, 2] += v
                    m[1, 1] += u * u
                    m[1, 2] += u * v
                    m[2, 2] += v * v
                    for c in range(CHANNELS):
                        k[0, c] += part[j, i, c]
                        k[1, c] += u * part[j, i, c]
                        k[2, c] += v * part[j, i, c]
        m[1, 0], m[2, 0], m[2, 1] = m[0, 1], m[0, 2], m[1, 2]
        for c in range(CHANNELS):
            around[c] = k[0, c] / max(m[0, 0], 1.0)
        for c in range(3):
            m[c, c] += 1e-6
        solve_three(m, k)
        total, used = 0.0, 0
        for j in range(height):
            for i in range(width):
                u, v = (i + 0.5 - x) / size, (j + 0.5 - y) / size
                kept = ring[j, i] and (turn == 0 or _length(off, j, i) < limit)
                for c in range(CHANNELS):
                    off[j, i, c] = part[j, i, c] - (k[0, c] + k[1, c] * u + k[2, c] * v)
                if kept:
                    total += _length(off, j, i)
                    used += 1
        limit = 2.2 * total / max(used, 1) + 0.3
    return _ring_spread(off, ring)


@loop(fastmath=True)
def _length(off, j, i):  # pragma: no cover - compiled
    return np.sqrt(off[j, i, 0] ** 2 + off[j, i, 1] ** 2 + off[j, i, 2] ** 2)


@loop(fastmath=True)
def _ring_spread(off, ring):  # pragma: no cover - compiled
    total, n = 0.0, 0
    for j in range(1, ring.shape[0] - 1):
        for i in range(1, ring.shape[1] - 1):
            if ring[j, i]:
                n += 1
                for c in range(3):
                    mean = 0.0
                    for dj in range(-1, 2):
                        for di in range(-1, 2):
                            mean += off[j + dj, i + di, c]
                    total += (mean / 9) ** 2
    return np.sqrt(total / max(n, 1))


@loop(fastmath=True)
def _signal(off, x, y, size, usual, least, signal):  # pragma: no cover - compiled
    """How far each pixel goes the way the core goes, 1 at the core's own height; False where nothing is there."""
    height, width = signal.shape
    centre, n = np.zeros(CHANNELS), 0
    for j in range(height):
        for i in range(width):
            if np.hypot(i + 0.5 - x, j + 0.5 - y) < 0.3 * size:
                n += 1
                for c in range(CHANNELS):
                    centre[c] += off[j, i, c]
    for c in range(CHANNELS):
        centre[c] /= max(n, 1)
    if np.sqrt(centre[0] ** 2 + centre[1] ** 2 + centre[2] ** 2) < least:
        return False
    way, strength = np.empty(CHANNELS), 0.0
    for c in range(CHANNELS):
        way[c] = centre[c] / usual[c] ** 2
        strength += centre[c] * way[c]
    rough = np.empty((height, width), np.float32)
    for j in range(height):
        for i in range(width):
            total = 0.0
            for c in range(CHANNELS):
                total += off[j, i, c] * way[c]
            rough[j, i] = total
    sigma = max(0.6, 0.06 * size)
    side = np.exp(-0.5 / sigma**2)
    _blur(rough, side, signal)
    near = np.empty(height * width, np.float32)
    n = 0
    for j in range(height):
        for i in range(width):
            if np.hypot(i + 0.5 - x, j + 0.5 - y) < 0.35 * size:
                near[n] = signal[j, i]
                n += 1
    peak = np.float32(strength)
    if n > 3:
        peak = kth_smallest(near, n, int(0.9 * (n - 1) + 0.5))
    if peak <= 0:
        return False
    for j in range(height):
        for i in range(width):
            signal[j, i] /= peak
    return True


@loop(fastmath=True)
def _blur(rough, side, out):  # pragma: no cover - compiled
    """Three-tap blur both ways: 1 in the middle, `side` beside it."""
    height, width = rough.shape
    total = 1 + 2 * side
    half = np.empty((height, width), np.float32)
    for j in range(height):
        for i in range(width):
            half[j, i] = (side * (rough[j, max(i - 1, 0)] + rough[j, min(i + 1, width - 1)]) + rough[j, i]) / total
    for j in range(height):
        for i in range(width):
            out[j, i] = (side * (half[max(j - 1, 0), i] + half[min(j + 1, height - 1), i]) + half[j, i]) / total


@loop(fastmath=True)
def _own_region(signal, skin, x, y, size, own):  # pragma: no cover - compiled
    """Pixels of the connected region above half height (above more of it where that runs on out of sight)."""
    height, width = signal.shape
    start_j, start_i = min(int(y), height - 1), min(int(x), width - 1)
    best = signal[start_j, start_i]
    for j in range(height):
        for i in range(width):
            if np.hypot(i + 0.5 - x, j + 0.5 - y) < 0.3 * size and signal[j, i] > best:
                best, start_j, start_i = signal[j, i], j, i
    queue = np.empty((height * width, 2), np.int32)
    for limit in (0.5, 0.65, 0.8):
        for j in range(height):
            for i in range(width):
                own[j, i] = False
        if not (signal[start_j, start_i] > limit and skin[start_j, start_i] > 0.3):
            return 0
        own[start_j, start_i] = True
        queue[0, 0], queue[0, 1] = start_j, start_i
        done, filled, closed = 0, 1, True
        while done < filled and closed:
            j, i = queue[done, 0], queue[done, 1]
            done += 1
            if j == 0 or i == 0 or j == height - 1 or i == width - 1:
                closed = False
                break
            for step in range(4):
                a = j + (step == 0) - (step == 1)
                b = i + (step == 2) - (step == 3)
                if not own[a, b] and signal[a, b] > limit and skin[a, b] > 0.3:
                    own[a, b] = True
                    queue[filled, 0], queue[filled, 1] = a, b
                    filled += 1
        if closed:
            return filled
    return 0


@loop(fastmath=True)
def _shape(part, off, signal, ring, own, area, around, usual, disc, row, feature, rim):  # pragma: no cover - compiled
    """What the region and its surroundings look like; fills the row, all features but four, and the rim."""
    height, width = own.shape
    cx, cy, most = 0.0, 0.0, np.float32(0.0)
    for j in range(height):
        for i in range(width):
            if own[j, i]:
                cx += i + 0.5
                cy += j + 0.5
                most = max(most, signal[j, i])
    cx, cy = cx / area, cy / area
    radius = np.sqrt(area / np.pi)
    xx, yy, xy, crack, steep, rim_count, fine = 1e-3, 1e-3, 0.0, 0, 0.0, 0, 0.0
    inside, outside, inner = np.zeros(CHANNELS), np.zeros(CHANNELS), 0
    slope_x, slope_y = 0.0, 0.0
    for j in range(1, height - 1):
        for i in range(1, width - 1):
            if not own[j, i]:
                continue
            dx, dy = i + 0.5 - cx, j + 0.5 - cy
            xx += dx * dx / area
            yy += dy * dy / area
            xy += dx * dy / area
            open_sides = 4 - own[j - 1, i] - own[j + 1, i] - own[j, i - 1] - own[j, i + 1]
            crack += open_sides
            if open_sides:
                gx, gy = signal[j, i + 1] - signal[j, i - 1], signal[j + 1, i] - signal[j - 1, i]
                steep += np.hypot(gx, gy) / 2
                rim_count += 1
            slope_x += off[j, i, 0] * dx
            slope_y += off[j, i, 0] * dy
            fine += (4 * part[j, i, 0] - part[j - 1, i, 0] - part[j + 1, i, 0] - part[j, i - 1, 0]
                     - part[j, i + 1, 0]) ** 2
            if disc or signal[j, i] > 0.7 * most:  # in a disc, the most may be a glint
                inner += 1
                for c in range(CHANNELS):
                    inside[c] += part[j, i, c]
                    outside[c] += part[j, i, c] - off[j, i, c]
    row[0], row[1], row[2], row[3 + 2 * CHANNELS] = cx, cy, 2 * radius, disc
    change = np.empty(CHANNELS)
    for c in range(CHANNELS):
        change[c] = (inside[c] - outside[c]) / inner
        row[3 + c], row[3 + CHANNELS + c] = inside[c] / inner, outside[c] / inner
        feature[_SURE_L + c] = change[c] / usual[c]
    feature[_D_L], feature[_D_A], feature[_D_B], feature[_D_PIGMENT] = change[0], change[1], change[2], change[3]
    chroma = np.hypot(change[1], change[2]) + 1e-6
    length = np.sqrt(change[0] ** 2 + chroma**2) + 1e-6
    feature[_HUE_SIN], feature[_HUE_COS] = change[2] / chroma, change[1] / chroma
    feature[_LEAN_B] = (change[2] - change[1]) / length
    root = np.sqrt(((xx - yy) / 2) ** 2 + xy * xy)
    large, little = (xx + yy) / 2 + root, max((xx + yy) / 2 - root, 1e-3)
    feature[_ELONGATION] = np.sqrt(large / little)
    feature[_FILL] = area / (4 * np.pi * np.sqrt(large * little))
    feature[_SHARPNESS] = steep / max(rim_count, 1) * 2 * radius
    square, clutter, n = 0.0, 0, 0
    for j in range(height):
        for i in range(width):
            if ring[j, i]:
                n += 1
                square += signal[j, i] ** 2
                clutter += abs(signal[j, i]) > 0.4
    feature[_LOG_NEARBY] = np.log(np.sqrt(square / n) * length + 1e-3)
    feature[_LIGHTNESS] = row[3 + CHANNELS] / 100
    feature[_ROUNDNESS] = 4 * np.pi * area / (crack * np.pi / 4) ** 2
    feature[_CLUTTER] = clutter / n
    feature[_RELIEF] = np.hypot(slope_x, slope_y) / (area * radius * length)
    feature[_AROUND_A], feature[_AROUND_B] = around[1], around[2]
    feature[_FINE_INSIDE] = np.log(np.sqrt(fine / area) + 0.05)
    _rings(signal, cx, cy, radius, feature)
    _rim(own, cx, cy, rim)


@loop(fastmath=True)
def _rings(signal, cx, cy, radius, feature):  # pragma: no cover - compiled
    """Mean and spread of the signal in rings around the middle: how a flaw falls off, and how alike on all sides."""
    n = _RADII.shape[0]
    total, square, count = np.zeros(n), np.zeros(n), np.zeros(n)
    for j in range(signal.shape[0]):
        for i in range(signal.shape[1]):
            r = np.hypot(i + 0.5 - cx, j + 0.5 - cy) / radius
            for b in range(n):
                if r < _RADII[b]:
                    total[b] += signal[j, i]
                    square[b] += signal[j, i] ** 2
                    count[b] += 1
                    break
    for b in range(n):
        if count[b] > 0:
            mean = total[b] / count[b]
            feature[_RINGS_AT + b] = mean
            feature[_RINGS_AT + n + b] = np.sqrt(max(square[b] / count[b] - mean * mean, 0.0))


@loop(fastmath=True)
def _rim(own, cx, cy, rim):  # pragma: no cover - compiled
    """Outline as seen from the middle: the last pixel of the region in each direction."""
    height, width = own.shape
    for k in range(rim.shape[0]):
        angle = 2 * np.pi * k / rim.shape[0]
        ux, uy = np.cos(angle), np.sin(angle)
        last, r = 0.5, 0.5
        while True:
            i, j = int(cx + r * ux), int(cy + r * uy)
            if i < 0 or j < 0 or i >= width or j >= height:
                break
            if own[j, i]:
                last = r
            r += 0.5
        rim[k, 0], rim[k, 1] = cx + last * ux, cy + last * uy
