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


def leg(turn):
    """One leg of an armour unit, as an outward polyhedron: a tapered trunk of eight sides from the unit's middle outward, its edges chamfered."""
    levels = [(-0.10, 0.20), (0.02, 0.26), (0.62, 0.175), (0.68, 0.135)]  # y, radius
    corners = [turn((r * math.cos(a), y, -r * math.sin(a)))
               for y, r in levels for a in (2 * math.pi * (s + 0.5) / 8 for s in range(8))]
    faces = [tuple(reversed(range(8))), tuple(range(24, 32))]
    for k in range(3):
        faces += [(8 * k + s, 8 * k + (s + 1) % 8, 8 * k + 8 + (s + 1) % 8, 8 * k + 8 + s) for s in range(8)]
    return [[corners[i] for i in face] for face in faces]


def dot(a, b):
    return sum(x * y for x, y in zip(a, b))


def minus(a, b):
    return tuple(x - y for x, y in zip(a, b))


def plane(face):
    """Normal and offset of a convex face."""
    u, v = minus(face[1], face[0]), minus(face[2], face[0])
    n = (u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0])
    length = math.sqrt(dot(n, n))
    n = tuple(x / length for x in n)
    return n, dot(n, face[0])


def halves(face, n, offset):
    """What of a convex face lies beyond a plane, and what behind it; empty where there is nothing."""
    beyond, behind = [], []
    for p, q in zip(face, face[1:] + face[:1]):
        a, b = dot(n, p) - offset, dot(n, q) - offset
        if a > -1e-9:
            beyond.append(p)
        if a < 1e-9:
            behind.append(p)
        if (a > 1e-9 and b < -1e-9) or (a < -1e-9 and b > 1e-9):
            cross = tuple(x + a / (a - b) * (y - x) for x, y in zip(p, q))
            beyond.append(cross)
            behind.append(cross)
    return (beyond if len(beyond) > 2 else []), (behind if len(behind) > 2 else [])


def outside(face, solid):
    """The convex bits of a face that are not inside a convex solid."""
    planes = list(map(plane, solid))
    if any(all(dot(n, p) > offset - 1e-9 for p in face) for n, offset in planes):
        return [face]
    out = []
    for n, offset in planes:
        beyond, face = halves(face, n, offset)
        if beyond:
            out.append(beyond)
        if not face:
            break
    return out


def unit():
    """An armour unit: four legs, one up and three splayed, as one closed surface."""
    down = math.acos(-1 / 3)

    def turned(about_y):
        c, s, cy, sy = math.cos(down), math.sin(down), math.cos(about_y), math.sin(about_y)

        def turn(p):
            x, y, z = p[0], c * p[1] - s * p[2], s * p[1] + c * p[2]
            return (cy * x + sy * z, y, -sy * x + cy * z)
        return turn

    legs = [leg(lambda p: p)] + [leg(turned(2 * math.pi * k / 3)) for k in range(3)]
    bits = []
    for k, mine in enumerate(legs):
        for face in mine:
            left = [face]
            for other in legs[:k] + legs[k + 1:]:
                left = [bit for f in left for bit in outside(f, other)]
            bits += left
    vertices, places = [], {}

    def vertex(p):
        key = tuple(round(x, 5) for x in p)
        if key not in places:
            places[key] = len(vertices)
            vertices.append(key)
        return places[key]

    rings = []
    for bit in bits:
        ring = [vertex(p) for p in bit]
        ring = [v for k, v in enumerate(ring) if v != ring[k - 1]]
        if len(ring) > 2:
            rings.append(ring)

    def on_edge(a, b):
        """The vertices that stand within an edge, in order."""
        p, q = vertices[a], vertices[b]
        d = minus(q, p)
        found = []
        for v in range(corners):
            e = minus(vertices[v], p)
            t = dot(e, d) / dot(d, d)
            off = minus(e, tuple(t * x for x in d))
            if v not in (a, b) and 0 < t < 1 and dot(off, off) < 4e-10:
                found.append((t, v))
        return [v for _, v in sorted(found)]

    corners, faces = len(vertices), []
    for ring in rings:
        full = []
        for a, b in zip(ring, ring[1:] + ring[:1]):
            full += [a] + on_edge(a, b)
        if len(full) == 3:
            faces.append(tuple(full))
            continue
        middle = tuple(sum(vertices[v][k] for v in full) / len(full) for k in range(3))
        vertices.append(middle)
        faces += [(a, b, len(vertices) - 1) for a, b in zip(full, full[1:] + full[:1])]
    write("unit", vertices, faces)


def rubble():
    """A slope of dumped stone: a surface that falls from a berm to the sea bed, rough at the size of its stones."""
    nx, nz, width, depth = 72, 56, 11.0, 8.4

    def noise(i, j, seed):
        h = (i * 374761393 + j * 668265263 + seed * 2147483647) & 0xFFFFFFFF
        h = ((h ^ (h >> 13)) * 1274126177) & 0xFFFFFFFF
        return ((h ^ (h >> 16)) & 0xFFFF) / 65535.0

    def height(i, j):
        x = -width / 2 + width * i / nx
        profile = 2.6 if x < -3.2 else 0.0 if x > 2.6 else 2.6 * (2.6 - x) / 5.8
        stones = 0.24 * noise(i // 2, j // 2, 3) + 0.10 * noise(i, j, 7)
        return profile + stones

    vertices = [(-width / 2 + width * i / nx, height(i, j), -depth / 2 + depth * j / nz)
                for j in range(nz + 1) for i in range(nx + 1)]
    at = lambda i, j: j * (nx + 1) + i
    faces = []
    for j in range(nz):
        for i in range(nx):
            faces.append((at(i, j), at(i, j + 1), at(i + 1, j + 1), at(i + 1, j)))
    write("rubble", vertices, faces)


def bars():
    """The lantern's front: a leaded lattice of two by two openings with a rebate all round each, in one closed mesh.

    Seen from the front (+z) the bars are narrow; behind them a wider ledge carries the panes.
    """
    boxes = []
    outer, opening, bar = 0.34, 0.15, 0.04 / 3
    edges = [-0.17, -0.17 + bar, -bar / 2, bar / 2, 0.17 - bar, 0.17]  # bar, gap, bar, gap, bar
    cells = lambda k: k in (1, 3)  # an opening
    lip = 0.008
    # A grid in x and y, two layers in z: behind (rebate, ledge reaching in by lip at the back) and front.
    xs = sorted({*edges, *(e + s * lip for k, e in enumerate(edges) for s in (-1, 1) if 0 < k < 5)})
    zs = [-0.012, -0.006, 0.006]
    solid = {}
    inside = lambda v, lo, hi: lo < v < hi
    for i in range(len(xs) - 1):
        for j in range(len(xs) - 1):
            x, y = (xs[i] + xs[i + 1]) / 2, (xs[j] + xs[j + 1]) / 2
            for k, (z0, z1) in enumerate(zip(zs, zs[1:])):
                reach = lip if k == 0 else 0.0  # the back layer reaches into the openings
                open_x = any(inside(x, a + reach, b - reach) for a, b in ((edges[1], edges[2]), (edges[3], edges[4])))
                open_y = any(inside(y, a + reach, b - reach) for a, b in ((edges[1], edges[2]), (edges[3], edges[4])))
                solid[i, j, k] = not (open_x and open_y)
    index, vertices, faces = {}, [], []

    def v(i, j, k):
        if (i, j, k) not in index:
            index[i, j, k] = len(vertices)
            vertices.append((xs[i], xs[j] + 0.17, zs[k]))
        return index[i, j, k]

    sides = [((-1, 0, 0), [(0, 0, 0), (0, 0, 1), (0, 1, 1), (0, 1, 0)]), ((1, 0, 0), [(1, 0, 0), (1, 1, 0), (1, 1, 1), (1, 0, 1)]),
             ((0, -1, 0), [(0, 0, 0), (1, 0, 0), (1, 0, 1), (0, 0, 1)]), ((0, 1, 0), [(0, 1, 0), (0, 1, 1), (1, 1, 1), (1, 1, 0)]),
             ((0, 0, -1), [(0, 0, 0), (0, 1, 0), (1, 1, 0), (1, 0, 0)]), ((0, 0, 1), [(0, 0, 1), (1, 0, 1), (1, 1, 1), (0, 1, 1)])]
    for (i, j, k), filled in solid.items():
        if not filled:
            continue
        for (dx, dy, dz), corners in sides:
            if not solid.get((i + dx, j + dy, k + dz), False):
                faces.append(tuple(v(i + a, j + b, k + c) for a, b, c in corners))
    write("bars", vertices, faces)


def flue():
    """A chimney: a square tube that stands on its lower end, the thickness of a brick."""
    levels = [(0.0, 0.45), (2.7, 0.45), (2.7, 0.225), (0.0, 0.225)]  # y, half width: up outside, down inside
    vertices = [(x * w, y, z * w) for y, w in levels for x, z in ((1, 1), (1, -1), (-1, -1), (-1, 1))]
    faces = [(4 * k + s, 4 * k + (s + 1) % 4, (4 * k + 4) % 16 + (s + 1) % 4, (4 * k + 4) % 16 + s)
             for k in range(4) for s in range(4)]
    write("flue", vertices, faces)


def hopper():
    """A steel hopper on a square foot: four walls that lean out, a floor, open above."""
    levels = [(0.0, 0.30), (0.85, 0.56), (0.85, 0.53), (0.05, 0.27)]  # y, half width: up outside, down inside
    vertices = [(x * w, y, z * w) for y, w in levels for x, z in ((1, 1), (1, -1), (-1, -1), (-1, 1))]
    faces = [(4 * k + s, 4 * k + (s + 1) % 4, 4 * k + 4 + (s + 1) % 4, 4 * k + 4 + s)
             for k in range(3) for s in range(4)]
    faces += [(3, 2, 1, 0), (12, 13, 14, 15)]
    write("hopper", vertices, faces)


def bollard():
    """What is seen of the bollard: flutes up its shaft, a neck where ropes have worn it, a head that overhangs."""
    outline = [(0.0, -0.55), (0.30, -0.55), (0.325, -0.53)]  # radius, y: up from the foot, about the middle
    outline += [(0.325, -0.44)] + [(0.31, -0.42 + 0.06 * k) for k in range(11)]
    outline += [(0.29, 0.22), (0.265, 0.25), (0.255, 0.29), (0.265, 0.33), (0.30, 0.36)]
    outline += [(0.345 - 0.02 * (1 - math.cos(0.5 * math.pi * k / 5)), 0.38 + 0.12 * k / 5) for k in range(6)]
    outline += [(0.30, 0.53), (0.22, 0.545), (0.0, 0.55)]

    def place(ring, angle):
        radius, y = ring
        shaft = 1.0 if -0.43 < y < 0.21 else 0.0
        radius -= 0.014 * shaft * abs(math.cos(8 * angle)) ** 3
        return (radius * math.cos(angle), y, radius * math.sin(angle))

    write("bollard_hi", *revolved(outline[::-1], 96, place))


if __name__ == "__main__":
    OUT.mkdir(exist_ok=True)
    basket()
    unit()
    rubble()
    bars()
    flue()
    hopper()
    bollard()
