"""Gradient noise on a hashed lattice and its curl (Perlin 2002 for the fade; Bridson et al. 2007 for curl noise)."""

from __future__ import annotations

from typing import Any

import numpy as np

from hailridge.core.kernels.compiling import Kernel, helper, parallel_range

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


def _noise(positions: Any, salt: Any, out: Any) -> None:
    """Value and gradient at each place: positions (n, 3) float32 in lattice units, out (n, 4) float32."""
    for i in parallel_range(positions.shape[0]):
        out[i, 0], out[i, 1], out[i, 2], out[i, 3] = noise_with_slope(positions[i, 0], positions[i, 1], positions[i, 2], salt)


def _curl(positions: Any, frequency: Any, octaves: Any, roughness: Any, drift: Any, salt: Any, out: Any) -> None:
    """Curl of three noise potentials: a flow that neither gathers nor thins. Each potential drifts its own way, so the pattern evolves.

    positions (n, 3) float32 metres; frequency 1/m; drift in lattice cells; out (n, 3) float32.
    """
    for i in parallel_range(positions.shape[0]):
        cx = np.float32(0.0)
        cy = np.float32(0.0)
        cz = np.float32(0.0)
        scale = np.float32(frequency)
        strength = np.float32(1.0)
        shift = np.float32(drift)
        for octave in range(octaves):
            x, y, z = positions[i, 0] * scale, positions[i, 1] * scale, positions[i, 2] * scale
            layer = salt + np.uint32(octave * 3)
            _a, _ax, ay, az = noise_with_slope(x + shift, y + np.float32(17.17), z, layer)
            _b, bx, _by, bz = noise_with_slope(x, y + shift, z + np.float32(31.31), layer + np.uint32(1))
            _c, ex, ey, _ez = noise_with_slope(x + np.float32(47.47), y, z + shift, layer + np.uint32(2))
            # The slope of the potential taken in lattice units keeps the strength of an octave independent of its scale.
            cx += strength * (ey - bz)
            cy += strength * (az - ex)
            cz += strength * (bx - ay)
            scale *= np.float32(2.0)
            strength *= np.float32(roughness)
            shift *= np.float32(1.7)
        out[i, 0], out[i, 1], out[i, 2] = cx, cy, cz


noise = Kernel(_noise)
curl = Kernel(_curl, serial_below=2_000)
