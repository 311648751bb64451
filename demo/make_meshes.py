#!/usr/bin/env python3
# SPDX-License-Identifier: Apache-2.0
"""Makes the demo's meshes (metres, y up) beside this script in meshes/. The meshes are shipped; run this only to change them."""
import math
import pathlib

OUT = pathlib.Path(__file__).parent / "meshes"


def write(name, vertices, faces):
    with open(OUT / f"{name}.obj", "w") as f:
        f.write(f"# made by make_meshes.py\no {name}\n")
        f.writelines("v %.5f %.5f %.5f\n" % v for v in vertices)
        f.writelines("f " + " ".join(str(i + 1) for i in face) + "\n" for face in faces)


def revolved(rings, around, place):
    """A closed surface from pole to pole; rings run from the bottom's outside over the rim to the bottom's inside.

    place(ring, angle) gives a point; the first and last ring are single points on the axis.
    """
    vertices = [place(rings[0], 0.0)]
    for ring in rings[1:-1]:
        vertices += [place(ring, 2 * math.pi * s / around) for s in range(around)]
    vertices.append(place(rings[-1], 0.0))
    at = lambda k, s: 1 + (k - 1) * around + s % around
    faces = [(0, at(1, s + 1), at(1, s)) for s in range(around)]
    for k in range(1, len(rings) - 2):
        for s in range(around):
            faces.append((at(k, s), at(k, s + 1), at(k + 1, s + 1), at(k + 1, s)))
    last = len(vertices) - 1
    faces += [(at(len(rings) - 2, s), at(len(rings) - 2, s + 1), last) for s in range(around)]
    return vertices, faces


def basket():
    """A round wicker basket: withies woven over and under its stakes, a plaited rim, a thick flat bottom."""
    stakes, per_stake, rows = 24, 4, 17
    height, low, high, thick, weave, floor = 0.62, 0.34, 0.43, 0.016, 0.006, 0.03
    wall = lambda y: low + (high - low) * (y / height) ** 0.8
    rings = [(0.0, 0.0, 0.0, 0.0), (0.17, 0.0, 0.0, 0.0), (low - 0.01, 0.0, 0.0, 0.0)]  # radius, y, weave, phase
    steps = 2 * rows
    for k in range(steps + 1):
        y = 0.01 + (height - 0.02) * k / steps
        rings.append((wall(y), y, weave * (k % 2), math.pi * (k // 2 % 2)))
    for k in range(9):  # the rim: a roll seen from the side
        a = math.pi * k / 8
        rings.append((high - thick / 2 + 0.024 * math.cos(a), height + 0.012 + 0.024 * math.sin(a), 0.004, 2.1 * k))
    for k in range(steps, -1, -1):
        y = 0.01 + (height - 0.02) * k / steps
        if y > floor + 0.004:
            rings.append((wall(y) - thick, y, weave * (k % 2), math.pi * (k // 2 % 2)))
    rings += [(wall(floor) - thick, floor, 0.0, 0.0), (0.17, floor, 0.0, 0.0), (0.0, floor, 0.0, 0.0)]

    def place(ring, angle):
        radius, y, swing, phase = ring
        r = radius + swing * math.sin(stakes * angle + phase)
        return (r * math.cos(angle), y, -r * math.sin(angle))

    write("basket", *revolved(rings, stakes * per_stake, place))


def flat_float():
    """A flattened float: half axes 0.05, 0.03, 0.05."""
    rings = [-90 + 180 * k / 7 for k in range(8)]

    def place(latitude, angle):
        c, s = math.cos(math.radians(latitude)), math.sin(math.radians(latitude))
        return (0.05 * c * math.cos(angle), 0.03 * s, -0.05 * c * math.sin(angle))

    write("float_flat", *revolved(rings, 12, place))


if __name__ == "__main__":
    OUT.mkdir(exist_ok=True)
    basket()
    flat_float()
