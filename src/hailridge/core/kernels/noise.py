"""Gradient noise on a hashed lattice and its curl (Perlin 2002 for the fade; Bridson et al. 2007 for curl noise)."""

from __future__ import annotations

from typing import Any

import numpy as np

from hailridge.core.kernels.array_types import Float32, Float32Rows, Float32s, Float64, Int64, UInt32, UInt32s
from hailridge.core.kernels.compiling import helper, kernel, piece

_P0, _P1, _P2, _P3 = np.uint32(0x8DA6B343), np.uint32(0xD8163841), np.uint32(0xCB1AB31F), np.uint32(0x165667B1)
_MIX0, _MIX1 = np.uint32(0x7FEB352D), np.uint32(0x846CA68B)


@helper
def _corner(ix, iy, iz, salt):  # type: ignore[no-untyped-def]
    """A pseudo-random gradient for a lattice corner: one of the 16 of improved noise, as components."""
    h = np.uint32(ix) * _P0 ^ np.uint32(iy) * _P1 ^ np.uint32(iz) * _P2 ^ salt * _P3
    h = (h ^ (h >> np.uint32(16))) * _MIX0
    h = (h ^ (h >> np.uint32(15))) * _MIX1
    h = (h ^ (h >> np.uint32(16))) & np.uint32(15)
    first = np.float32(1.0) if h & np.uint32(1) == 0 else np.float32(-1.0)
    second = np.float32(1.0) if h & np.uint32(2) == 0 else np.float32(-1.0)
    if h < 4 or h == 12 or h == 14:
        return first, second, np.float32(0.0)
    if h < 8:
        return first, np.float32(0.0), second
    return np.float32(0.0), first, second


@helper
def noise_with_slope(x, y, z, salt):  # type: ignore[no-untyped-def]
    """Value (about −1 to 1, zero at lattice points) and its exact gradient."""
    fx, fy, fz = np.floor(x), np.floor(y), np.floor(z)
    ix, iy, iz = np.int32(fx), np.int32(fy), np.int32(fz)
    u, v, w = np.float32(x - fx), np.float32(y - fy), np.float32(z - fz)
    one = np.float32(1.0)
    su = u * u * u * (u * (u * np.float32(6) - np.float32(15)) + np.float32(10))
    sv = v * v * v * (v * (v * np.float32(6) - np.float32(15)) + np.float32(10))
    sw = w * w * w * (w * (w * np.float32(6) - np.float32(15)) + np.float32(10))
    du = np.float32(30) * u * u * (u - one) * (u - one)
    dv = np.float32(30) * v * v * (v - one) * (v - one)
    dw = np.float32(30) * w * w * (w - one) * (w - one)
    value = np.float32(0.0)
    gx = np.float32(0.0)
    gy = np.float32(0.0)
    gz = np.float32(0.0)
    for corner in range(8):
        cx, cy, cz = corner & 1, (corner >> 1) & 1, corner >> 2
        ax, ay, az = _corner(ix + cx, iy + cy, iz + cz, salt)
        dot = ax * (u - np.float32(cx)) + ay * (v - np.float32(cy)) + az * (w - np.float32(cz))
        wx = su if cx == 1 else one - su
        wy = sv if cy == 1 else one - sv
        wz = sw if cz == 1 else one - sw
        weight = wx * wy * wz
        value += weight * dot
        gx += weight * ax + (du if cx == 1 else -du) * wy * wz * dot
        gy += weight * ay + (dv if cy == 1 else -dv) * wx * wz * dot
        gz += weight * az + (dw if cz == 1 else -dw) * wx * wy * dot
    return value, gx, gy, gz


@kernel(serial_below=3_000)
def noise(begin: Int64, end: Int64, positions: Float32Rows, salt: UInt32, out: Float32Rows) -> None:
    """Value and gradient at each place: positions (n, 3) float32 in lattice units, out (n, 4) float32."""
    for i in range(begin, end):
        out[i, 0], out[i, 1], out[i, 2], out[i, 3] = noise_with_slope(positions[i, 0], positions[i, 1], positions[i, 2], salt)


@kernel(serial_below=2_000)
def cells(begin: Int64, end: Int64, positions: Float32Rows, salt: UInt32, out: Float32s) -> None:
    """How near the nearest of one random place a cell is (Worley 1996): positions (n, 3) float32 in cells, out (n,) float32, 1 at such a place."""
    for i in range(begin, end):
        x, y, z = positions[i, 0], positions[i, 1], positions[i, 2]
        cx, cy, cz = np.int32(np.floor(x)), np.int32(np.floor(y)), np.int32(np.floor(z))
        nearest = np.float32(9.0)
        for jx in range(cx - 1, cx + 2):
            for jy in range(cy - 1, cy + 2):
                for jz in range(cz - 1, cz + 2):
                    h = np.uint32(jx) * _P0 ^ np.uint32(jy) * _P1 ^ np.uint32(jz) * _P2 ^ salt * _P3
                    h = np.uint32(np.uint32(h ^ (h >> np.uint32(16))) * _MIX0)
                    h = np.uint32(np.uint32(h ^ (h >> np.uint32(15))) * _MIX1)
                    h = np.uint32(h ^ (h >> np.uint32(16)))
                    px = np.float32(jx) + np.float32(h & np.uint32(1023)) * np.float32(1 / 1023) - x
                    py = np.float32(jy) + np.float32((h >> np.uint32(10)) & np.uint32(1023)) * np.float32(1 / 1023) - y
                    pz = np.float32(jz) + np.float32((h >> np.uint32(20)) & np.uint32(1023)) * np.float32(1 / 1023) - z
                    nearest = min(nearest, px * px + py * py + pz * pz)
        out[i] = np.float32(1.0) - np.sqrt(nearest)


BLOCK = 256
"""Particles worked on together: their numbers stay in the nearest cache, and the inner loop is one that compilers vectorise."""

_M0, _M1, _M2 = np.uint32(0x9E3779B1), np.uint32(0x85EBCA77), np.uint32(0xC2B2AE3D)
_BYTE, _EIGHT, _SIXTEEN, _TWENTYFOUR, _FIFTEEN, _ONE = (np.uint32(k) for k in (255, 8, 16, 24, 15, 1))


@helper
def _byte(h):  # type: ignore[no-untyped-def]
    """The lowest eight bits as a number from −1 to 1."""
    return np.float32(np.int32(h & _BYTE)) * np.float32(2.0 / 255.0) - np.float32(1.0)


@helper
def _curl_corner(hx, hy, hz, salt, u, v, w, wx, wy, wz, dx, dy, dz, c1, s1, c2, s2):  # type: ignore[no-untyped-def]
    """What one corner of a lattice cell adds to the six slopes of three potentials that a curl needs.

    u, v, w: from the corner to the place; wx … and dx …: its weights and their slopes. The corner's three gradients turn with time: some by
    the angle with cosine c1 and sine s1, some by the other (in the manner of Perlin and Neyret 2001, "Flow noise").
    """
    # Numba widens integer products to 64 bits; casting each back keeps the arithmetic in vector registers of 32.
    h = np.uint32(hx ^ hy ^ hz ^ salt)
    h = np.uint32(np.uint32(h ^ (h >> _SIXTEEN)) * _MIX0)
    h = np.uint32(np.uint32(h ^ (h >> _FIFTEEN)) * _MIX1)
    h = np.uint32(h ^ (h >> _SIXTEEN))
    g = np.uint32(h * _M0)
    g = np.uint32(g ^ (g >> _FIFTEEN))
    k = np.uint32(g * _M1)
    k = np.uint32(k ^ (k >> _FIFTEEN))
    c = np.float32(c1) if h & _ONE == 0 else np.float32(c2)
    s = np.float32(s1) if h & _ONE == 0 else np.float32(s2)
    ax, ay, az = _byte(h >> _EIGHT), _byte(h >> _SIXTEEN), _byte(h >> _TWENTYFOUR)
    bx, by, bz = _byte(g >> _EIGHT), _byte(g >> _SIXTEEN), _byte(g >> _TWENTYFOUR)
    ex, ey, ez = _byte(k >> _EIGHT), _byte(k >> _SIXTEEN), _byte(k >> _TWENTYFOUR)
    fx, fy, fz = c * ax + s * by, c * ay + s * bz, c * az + s * bx
    gx, gy, gz = c * bx + s * ey, c * by + s * ez, c * bz + s * ex
    ix, iy, iz = c * ex + s * ay, c * ey + s * az, c * ez + s * ax
    first, second, third = fx * u + fy * v + fz * w, gx * u + gy * v + gz * w, ix * u + iy * v + iz * w
    weight = wx * wy * wz
    ox, oy, oz = dx * wy * wz, wx * dy * wz, wx * wy * dz
    # The curl (third_y − second_z, first_z − third_x, second_x − first_y) of the three potentials.
    return (
        (oy * third + weight * iy) - (oz * second + weight * gz),
        (oz * first + weight * fz) - (ox * third + weight * ix),
        (ox * second + weight * gx) - (oy * first + weight * fy),
    )


@piece  # type: ignore[untyped-decorator]
def curl_block(positions: Any, start: Any, size: Any, frequency: Any, octaves: Any, roughness: Any, drift: Any, salt: Any, out: Any) -> None:
    """The curl for one block of at most `BLOCK` places."""
    one, six, ten, fifteen, thirty = np.float32(1), np.float32(6), np.float32(10), np.float32(15), np.float32(30)
    xs, ys, zs = np.empty(BLOCK, np.float32), np.empty(BLOCK, np.float32), np.empty(BLOCK, np.float32)
    cx, cy, cz = np.zeros(BLOCK, np.float32), np.zeros(BLOCK, np.float32), np.zeros(BLOCK, np.float32)
    for i in range(size):
        xs[i], ys[i], zs[i] = positions[start + i, 0], positions[start + i, 1], positions[start + i, 2]
    scale, strength = np.float32(frequency), np.float32(1.4142135)
    angle = np.float64(drift) * 1.5707963
    for octave in range(octaves):
        layer = np.uint32(np.uint32(salt + np.uint32(octave)) * _P3)
        c1, s1 = np.float32(np.cos(angle)), np.float32(np.sin(angle))
        c2, s2 = np.float32(np.cos(-1.618 * angle)), np.float32(np.sin(-1.618 * angle))
        for i in range(size):
            x, y, z = xs[i] * scale, ys[i] * scale, zs[i] * scale
            fx, fy, fz = np.floor(x), np.floor(y), np.floor(z)
            u, v, w = x - fx, y - fy, z - fz
            x0, y0 = np.uint32(np.uint32(np.int32(fx)) * _P0), np.uint32(np.uint32(np.int32(fy)) * _P1)
            z0 = np.uint32(np.uint32(np.int32(fz)) * _P2)
            x1, y1, z1 = np.uint32(x0 + _P0), np.uint32(y0 + _P1), np.uint32(z0 + _P2)
            su = u * u * u * (u * (u * six - fifteen) + ten)
            sv = v * v * v * (v * (v * six - fifteen) + ten)
            sw = w * w * w * (w * (w * six - fifteen) + ten)
            du, dv = thirty * u * u * (u - one) * (u - one), thirty * v * v * (v - one) * (v - one)
            dw = thirty * w * w * (w - one) * (w - one)
            ru, rv, rw = one - su, one - sv, one - sw
            a0, b0, e0 = _curl_corner(x0, y0, z0, layer, u, v, w, ru, rv, rw, -du, -dv, -dw, c1, s1, c2, s2)
            a1, b1, e1 = _curl_corner(x1, y0, z0, layer, u - one, v, w, su, rv, rw, du, -dv, -dw, c1, s1, c2, s2)
            a2, b2, e2 = _curl_corner(x0, y1, z0, layer, u, v - one, w, ru, sv, rw, -du, dv, -dw, c1, s1, c2, s2)
            a3, b3, e3 = _curl_corner(x1, y1, z0, layer, u - one, v - one, w, su, sv, rw, du, dv, -dw, c1, s1, c2, s2)
            a4, b4, e4 = _curl_corner(x0, y0, z1, layer, u, v, w - one, ru, rv, sw, -du, -dv, dw, c1, s1, c2, s2)
            a5, b5, e5 = _curl_corner(x1, y0, z1, layer, u - one, v, w - one, su, rv, sw, du, -dv, dw, c1, s1, c2, s2)
            a6, b6, e6 = _curl_corner(x0, y1, z1, layer, u, v - one, w - one, ru, sv, sw, -du, dv, dw, c1, s1, c2, s2)
            a7, b7, e7 = _curl_corner(x1, y1, z1, layer, u - one, v - one, w - one, su, sv, sw, du, dv, dw, c1, s1, c2, s2)
            cx[i] += strength * (((a0 + a1) + (a2 + a3)) + ((a4 + a5) + (a6 + a7)))
            cy[i] += strength * (((b0 + b1) + (b2 + b3)) + ((b4 + b5) + (b6 + b7)))
            cz[i] += strength * (((e0 + e1) + (e2 + e3)) + ((e4 + e5) + (e6 + e7)))
        scale *= np.float32(2.0)
        strength *= np.float32(roughness)
        angle *= 1.7
    for i in range(size):
        out[start + i, 0], out[start + i, 1], out[start + i, 2] = cx[i], cy[i], cz[i]


@kernel(serial_below=4_000, together=BLOCK)
def curl(
    begin: Int64, end: Int64, positions: Float32Rows, frequency: Float32, octaves: Int64, roughness: Float32, drift: Float32, salt: UInt32,
    out: Float32Rows,
) -> None:  # fmt: skip
    """Curl of three noise potentials: a flow that neither gathers nor thins, and evolves as `drift` grows (1: all is new).

    positions (n, 3) float32 metres; frequency 1/m; out (n, 3) float32.
    """
    for start in range(begin, end, BLOCK):
        curl_block(positions, start, min(BLOCK, end - start), frequency, octaves, roughness, drift, salt, out)


@helper
def _corner_value(hx, hy, hz, salt, u, v, w):  # type: ignore[no-untyped-def]
    """What a corner's gradient, that of `_corner`, gives at a place u, v, w from it; without branches, so that it is done for many at once."""
    h = np.uint32(hx ^ hy ^ hz ^ salt)
    h = np.uint32(np.uint32(h ^ (h >> _SIXTEEN)) * _MIX0)
    h = np.uint32(np.uint32(h ^ (h >> _FIFTEEN)) * _MIX1)
    h = np.uint32(np.uint32(h ^ (h >> _SIXTEEN)) & _FIFTEEN)
    again = (h == np.uint32(12)) | (h == np.uint32(14))
    first = u if (h < _EIGHT) | again else v
    second = v if (h < np.uint32(4)) | again else w
    return (first if h & _ONE == 0 else -first) + (second if h & np.uint32(2) == 0 else -second)


@helper
def _value(x, y, z, layer):  # type: ignore[no-untyped-def]
    """Gradient noise at a place, without slopes and without branches; `layer` is a salt times its prime."""
    one, six, ten, fifteen = np.float32(1), np.float32(6), np.float32(10), np.float32(15)
    fx, fy, fz = np.floor(x), np.floor(y), np.floor(z)
    u, v, w = x - fx, y - fy, z - fz
    x0, y0 = np.uint32(np.uint32(np.int32(fx)) * _P0), np.uint32(np.uint32(np.int32(fy)) * _P1)
    z0 = np.uint32(np.uint32(np.int32(fz)) * _P2)
    x1, y1, z1 = np.uint32(x0 + _P0), np.uint32(y0 + _P1), np.uint32(z0 + _P2)
    su = u * u * u * (u * (u * six - fifteen) + ten)
    sv = v * v * v * (v * (v * six - fifteen) + ten)
    sw = w * w * w * (w * (w * six - fifteen) + ten)
    ru, rv, rw = one - su, one - sv, one - sw
    low = rv * (ru * _corner_value(x0, y0, z0, layer, u, v, w) + su * _corner_value(x1, y0, z0, layer, u - one, v, w)) + sv * (
        ru * _corner_value(x0, y1, z0, layer, u, v - one, w) + su * _corner_value(x1, y1, z0, layer, u - one, v - one, w)
    )
    high = rv * (ru * _corner_value(x0, y0, z1, layer, u, v, w - one) + su * _corner_value(x1, y0, z1, layer, u - one, v, w - one)) + sv * (
        ru * _corner_value(x0, y1, z1, layer, u, v - one, w - one) + su * _corner_value(x1, y1, z1, layer, u - one, v - one, w - one)
    )
    return rw * low + sw * high


@helper
def noise_value(x, y, z, salt):  # type: ignore[no-untyped-def]
    """Gradient noise at a place: one octave of `layered`."""
    return _value(x, y, z, np.uint32(salt * _P3))


SMOOTH, BILLOWS, RIDGES = 0, 1, 2
"""What is made of the noise of each octave: as it is, its size, or its size turned over."""


@piece  # type: ignore[untyped-decorator]
def _layered_block(
    positions: Any, start: Any, size: Any, form: Any, octaves: Any, roughness: Any, strength: Any, shift: Any, salts: Any, out: Any
) -> None:
    """The octaves of one block of at most `BLOCK` places. `strength` is that of the first octave."""
    xs, ys, zs = np.empty(BLOCK, np.float32), np.empty(BLOCK, np.float32), np.empty(BLOCK, np.float32)
    sums = np.zeros(BLOCK, np.float32)
    for i in range(size):
        xs[i], ys[i], zs[i] = positions[start + i, 0], positions[start + i, 1], positions[start + i, 2]
    scale = np.float32(1)
    for octave in range(octaves):
        layer = np.uint32(salts[octave] * _P3)
        ox, oy, oz = shift[0] * np.float32(octave + 1), shift[1] * np.float32(octave + 1), shift[2] * np.float32(octave + 1)
        for i in range(size):
            value = _value(xs[i] * scale + ox, ys[i] * scale + oy, zs[i] * scale + oz, layer)
            value = value if form == SMOOTH else abs(value) if form == BILLOWS else -abs(value)
            sums[i] += strength * value
        scale *= np.float32(2.0)
        strength *= np.float32(roughness)
    for i in range(size):
        out[start + i] = sums[i]


@kernel(serial_below=4_000, together=BLOCK)
def layered(
    begin: Int64, end: Int64, positions: Float32Rows, form: Int64, octaves: Int64, roughness: Float64, shift: Float32s, salts: UInt32s, out: Float32s
) -> None:
    """Several octaves of noise, the values only, each twice as fine and `roughness` times as strong as the one before, over their sum of strengths.

    positions (n, 3) float32 in cells of the first octave; shift (3,) float32 apart from octave to octave; salts (octaves,) uint32; out (n,).
    """
    total, weight = np.float32(0), np.float32(1)
    for _octave in range(octaves):
        total += weight
        weight *= np.float32(roughness)
    for start in range(begin, end, BLOCK):
        _layered_block(positions, start, min(BLOCK, end - start), form, octaves, roughness, np.float32(1) / total, shift, salts, out)

