"""Reading OBJ files: vertices and faces; all else in them (materials, curves, texture places) has no use here.

General readers cut faces of more than three corners as if they bulged; here the faces themselves are needed.
"""

from __future__ import annotations

import re
from codecs import BOM_UTF8 as BOM
from typing import Any

import numpy as np
from numpy.typing import NDArray


class ObjError(ValueError):
    """A file that breaks off or says what cannot be; the message ends a sentence that begins with the file's name."""


def read_obj(data: bytes) -> tuple[NDArray[np.float64], NDArray[np.int64], NDArray[np.int64]]:
    """Vertices (v, 3), the number of corners of each face (p,), and the vertices of all faces one after another, counted from 0.

    Raises
    ------
    ObjError
        Where a line cannot be read, a coordinate is not finite, or a face names a vertex that is not there; the message gives the line.
    """
    # Only numbers are read: in which of the encodings that hold ASCII comments and names are written does not matter.
    lines = re.sub(rb"\\\r?\n", b" ", data.removeprefix(BOM)).decode("latin-1").splitlines()
    at_vertices, at_faces = [], []
    for number, line in enumerate(lines):
        if line.startswith(("v ", "v\t")):
            at_vertices.append(number)
        elif line.startswith(("f ", "f\t")):
            at_faces.append(number)
        elif line[:1] in " \t" and (words := line.split(None, 1)) and words[0] in ("v", "f"):
            lines[number] = line.strip()
            (at_vertices if words[0] == "v" else at_faces).append(number)
    places = _vertices(lines, at_vertices)
    if not np.isfinite(places).all():
        raise ObjError("is damaged: some of its coordinates are not finite numbers")
    numbers, indices = _faces(lines, at_faces)
    # A negative number counts back from the vertices that stand before the face.
    before = np.repeat(np.searchsorted(np.array(at_vertices, np.int64), np.array(at_faces, np.int64)), numbers)
    resolved = np.where(indices < 0, before + indices, indices - 1)
    wrong = np.flatnonzero((indices == 0) | (resolved < 0) | (resolved >= len(places)))
    if len(wrong):
        face = int(np.searchsorted(np.cumsum(numbers), wrong[0], side="right"))
        raise ObjError(f"is damaged: the face in line {at_faces[face] + 1} names vertex {int(indices[wrong[0]])}, but there are {len(places)}")
    return places, numbers, resolved


def _vertices(lines: list[str], at: list[int]) -> NDArray[np.float64]:
    words = [lines[number].split() for number in at]
    try:
        return np.array([entry[1:4] for entry in words], np.float64).reshape(-1, 3)
    except ValueError:
        pass
    for number, entry in zip(at, words, strict=True):
        try:
            if len([float(word) for word in entry[1:4]]) < 3:
                raise ValueError
        except ValueError:
            raise ObjError(f"is damaged: line {number + 1} should give a vertex by three numbers") from None
    raise ObjError("is damaged: its vertices cannot be read")


def _faces(lines: list[str], at: list[int]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    numbers = np.empty(len(at), np.int64)
    found: list[Any] = []
    for row, number in enumerate(at):
        # A corner is vertex/texture/normal; the first counts.
        corners = [word.partition("/")[0] for word in lines[number].partition("#")[0].split()[1:]]
        numbers[row] = len(corners)
        found += corners
    try:
        return numbers, np.array(found, np.int64) if found else np.empty(0, np.int64)
    except (ValueError, OverflowError):
        pass
    ends = np.cumsum(numbers)
    for position, corner in enumerate(found):
        if not re.fullmatch(r"[+-]?\d{1,15}", corner):
            line = at[int(np.searchsorted(ends, position, side="right"))] + 1
            raise ObjError(f"is damaged: the face in line {line} names no vertex by '{corner[:20]}'")
    raise ObjError("is damaged: its faces cannot be read")
