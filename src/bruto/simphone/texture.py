"""Procedural surfaces of the simulated scenes, evaluated at the size of the capture.

Every texture is a function of the place in the world, so detail exists up to the capture's own Nyquist limit whatever
its size. Octaves finer than the pixel's footprint are faded out, which band-limits the texture instead of aliasing it.
Noise: gradient noise with quintic interpolation (Perlin, "Improving noise", SIGGRAPH 2002), hashed by integer mixing.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit, prange

import bruto.numba_config  # noqa: F401  sets up what kernels run on

# Material numbers, used by the geometry and by `shade_surface`.
CLAY, SALT, WOOD, RUST, WATER, GRASS, BRICK, LIMEWASH, PAINT, IRON, CHART, CRYSTAL, CLOTH, LAMP, GRAVEL, REED = range(
    16
)
FLAT, FUR, ROPE, PRINT = range(16, 20)
"""An even coat of paint, bristles or fur along the axis, three-strand rope, a printed sheet."""


@njit(inline="always")
def _hash(x, y, z, seed):
    h = (np.uint32(x) * np.uint32(0x8DA6B343)) ^ (np.uint32(y) * np.uint32(0xD8163841))
    h ^= (np.uint32(z) * np.uint32(0xCB1AB31F)) ^ (np.uint32(seed) * np.uint32(0x165667B1))
    h ^= h >> np.uint32(13)
    h = np.uint32(h * np.uint32(0x5BD1E995))
    h ^= h >> np.uint32(15)
    h = np.uint32(h * np.uint32(0x27D4EB2D))
    return h ^ (h >> np.uint32(16))


@njit(inline="always")
def _grad(h, x, y, z):
    k = h & np.uint32(15)
    u = x if k < 8 else y
    v = y if k < 4 else (x if (k == 12 or k == 14) else z)
    return (u if (h & np.uint32(1)) == 0 else -u) + (v if (h & np.uint32(2)) == 0 else -v)


@njit(cache=True, fastmath=True, error_model="numpy")
def gradient_noise(x, y, z, seed):
    """Return the gradient noise at one point, about -1..1.

    Parameters
    ----------
    x
        Place, world units.
    y
        Place, world units.
    z
        Place, world units.
    seed
        Seed of the random generator.
    """
    xf, yf, zf = math.floor(x), math.floor(y), math.floor(z)
    i, j, k = int(xf), int(yf), int(zf)
    x -= xf
    y -= yf
    z -= zf
    u = x * x * x * (x * (x * 6 - 15) + 10)
    v = y * y * y * (y * (y * 6 - 15) + 10)
    w = z * z * z * (z * (z * 6 - 15) + 10)
    a = _grad(_hash(i, j, k, seed), x, y, z)
    b = _grad(_hash(i + 1, j, k, seed), x - 1, y, z)
    c = _grad(_hash(i, j + 1, k, seed), x, y - 1, z)
    d = _grad(_hash(i + 1, j + 1, k, seed), x - 1, y - 1, z)
    e = _grad(_hash(i, j, k + 1, seed), x, y, z - 1)
    f = _grad(_hash(i + 1, j, k + 1, seed), x - 1, y, z - 1)
    g = _grad(_hash(i, j + 1, k + 1, seed), x, y - 1, z - 1)
    h = _grad(_hash(i + 1, j + 1, k + 1, seed), x - 1, y - 1, z - 1)
    p = a + u * (b - a) + v * (c + u * (d - c) - a - u * (b - a))
    q = e + u * (f - e) + v * (g + u * (h - g) - e - u * (f - e))
    return p + w * (q - p)


@njit(cache=True, fastmath=True, error_model="numpy")
def fbm(x, y, z, frequency, octaves, footprint, seed):
    """Sum of octaves (gain 1/2, lacunarity 2), each faded out as its period nears two footprints (world units).

    Parameters
    ----------
    x
        Place, world units.
    y
        Place, world units.
    z
        Place, world units.
    frequency
        Spatial frequency, 1/metre.
    octaves
        Number of octaves.
    footprint
        Size of a pixel on the surface, metres.
    seed
        Seed of the random generator.
    """
    total = 0.0
    amplitude = 0.5
    for octave in range(octaves):
        fade = 2.0 - 4.0 * footprint * frequency
        if fade <= 0.0:
            break
        if fade > 1.0:
            fade = 1.0
        total += amplitude * fade * gradient_noise(x * frequency, y * frequency, z * frequency, seed + octave)
        frequency *= 2.03
        amplitude *= 0.5
    return total


@njit(inline="always")
def _smoothstep(a, b, x):
    t = (x - a) / (b - a)
    t = 0.0 if t < 0 else (1.0 if t > 1 else t)
    return t * t * (3 - 2 * t)


@njit(inline="always")
def _line(distance, half_width, footprint):
    """Coverage of a line of given half width at a distance from its middle, box-filtered by the footprint."""
    s = max(footprint, 1e-6)
    inside = (half_width - abs(distance)) / s + 0.5
    return 0.0 if inside < 0 else (1.0 if inside > 1 else inside)


@njit(cache=True, fastmath=True, error_model="numpy")
def _height(material, x, y, z, fp, seed):
    """Bump height (world units) of a material at a point; its gradient tilts the normal."""
    if material == CLAY:
        cell = fbm(x, y * 0.5, z, 5.0, 5, fp, seed + 3)
        return 0.02 * cell + 0.004 * fbm(x, y, z, 60.0, 5, fp, seed + 9)
    if material == SALT:
        return 0.012 * fbm(x, y, z, 14.0, 7, fp, seed + 5)
    if material == WOOD or material == PAINT:
        return 0.0016 * fbm(x, y, z, 60.0, 5, fp, seed + 1)
    if material == RUST:
        return 0.003 * fbm(x, y, z, 30.0, 5, fp, seed + 2)
    if material == GRASS:
        return 0.25 * fbm(x, y, z, 0.8, 8, fp, seed + 4)
    if material == BRICK or material == LIMEWASH:
        return 0.006 * fbm(x, y, z, 18.0, 6, fp, seed + 6)
    if material == CRYSTAL:
        return 0.0004 * fbm(x, y, z, 300.0, 5, fp, seed)
    if material == CLOTH:
        return 0.0006 * math.sin(x * 900 + y * 300) * max(0.0, 1 - fp * 300)
    if material == GRAVEL:
        return 0.012 * fbm(x, y, z, 22.0, 6, fp, seed + 7)
    if material == FUR:
        return 0.0012 * fbm(x, y, z, 260.0, 4, fp, seed)
    if material == ROPE:
        return 0.0010 * fbm(x, y, z, 200.0, 4, fp, seed)
    if material == IRON:
        return 0.0008 * fbm(x, y, z, 50.0, 5, fp, seed + 8)
    return 0.0


@njit(cache=True, fastmath=True, error_model="numpy")
def _albedo(material, x, y, z, gx, gy, gz, fp, seed, out):
    """Diffuse reflectance (three coefficients 0..1) and specular strength of a material.

    G* are along-grain coordinates.
    """
    spec = 0.0
    rough = 0.3
    if material == CLAY:
        big = fbm(x, y, z, 0.35, 5, fp, seed)
        fine = fbm(x, y, z, 6.0, 8, fp, seed + 20)
        wet = 1.0 - _smoothstep(0.015, 0.16, y + 0.05 * big)
        dry = _smoothstep(-0.1, 0.25, fbm(x, 0.0, z, 0.8, 3, fp, seed + 45))
        crack = _smoothstep(0.0, 0.03, abs(fbm(x, 0.0, z, 7.0, 5, fp, seed + 40)))
        v = (0.30 + 0.13 * big + 0.26 * fine) * (1.0 - 0.38 * dry * (1 - crack))
        salt = _smoothstep(0.12, 0.34, fbm(x, 0.0, z, 1.7, 8, fp, seed + 60) + 0.10 * wet)
        v *= 1.0 - 0.5 * wet
        r, g, b = v * 1.12, v * 0.96, v * 0.76
        r += salt * (0.72 - r) * 0.8
        g += salt * (0.71 - g) * 0.8
        b += salt * (0.68 - b) * 0.8
        out[0], out[1], out[2] = r, g, b
        spec, rough = 0.5 * wet, 0.12
    elif material == SALT:
        n = fbm(x, y, z, 3.0, 9, fp, seed)
        v = 0.80 + 0.16 * n
        pink = _smoothstep(0.0, 0.5, fbm(x, y, z, 0.9, 3, fp, seed + 11))
        dirt = _smoothstep(0.25, 0.55, fbm(x, y, z, 5.0, 6, fp, seed + 13))
        v *= 1 - 0.35 * dirt
        out[0], out[1], out[2] = v, v * (0.985 - 0.03 * pink), v * (0.965 - 0.025 * pink - 0.06 * dirt)
        spec, rough = 0.25, 0.25
    elif material == WOOD or material == PAINT:
        # rings stretched along the grain: across-grain frequency is far higher than along it
        warp = 0.03 * fbm(gx, gy * 0.5, gz, 2.5, 3, fp, seed + 1)
        ring = fbm((gx + warp) * 1.0, gy * 0.03, (gz + warp), 48.0, 5, fp, seed + 2)
        fibre = fbm(gx, gy * 0.02, gz, 260.0, 4, fp, seed + 3)
        stain = fbm(x, y * 0.3, z, 1.6, 5, fp, seed + 4)
        knot = _smoothstep(0.34, 0.46, fbm(gx * 1.4, gy * 0.5, gz, 5.0, 2, fp, seed + 5))
        v = 0.26 + 0.16 * ring + 0.16 * fibre + 0.13 * stain
        v *= 1.0 - 0.5 * knot
        crack = _smoothstep(0.05, 0.0, abs(fbm(gx, gy * 0.015, gz, 90.0, 2, fp, seed + 6)) + 0.25 * fp * 90)
        v *= 1.0 - 0.6 * crack
        v = max(v, 0.02)
        warm = 0.5 + 0.8 * fbm(x, y, z, 0.7, 3, fp, seed + 7)
        r, g, b = v * (1.02 + 0.16 * warm), v * (0.97 + 0.02 * warm), v * (0.90 - 0.16 * warm)
        if material == PAINT:
            worn = _smoothstep(0.02, 0.20, fbm(gx, gy * 0.25, gz, 9.0, 6, fp, seed + 8) + 0.35 * stain - 0.02)
            shade = 0.9 + 0.35 * ring
            r = worn * r + (1 - worn) * out[0] * shade
            g = worn * g + (1 - worn) * out[1] * shade
            b = worn * b + (1 - worn) * out[2] * shade
            out[0], out[1], out[2] = r, g, b
        else:
            out[0], out[1], out[2] = r * out[0], g * out[1], b * out[2]
        spec, rough = 0.06, 0.4
    elif material == RUST or material == IRON:
        n = fbm(x, y, z, 1.3, 8, fp, seed)
        m = fbm(x, y * 0.25, z, 8.0, 6, fp, seed + 30)
        rust = _smoothstep(-0.12, 0.28, n + 0.5 * m) if material == RUST else _smoothstep(0.1, 0.5, n + 0.6 * m)
        base = (0.34 if material == RUST else 0.06) * (1 + 0.8 * m)
        v = 0.9 + 0.9 * fbm(x, y, z, 40.0, 5, fp, seed + 33)
        out[0] = (1 - rust) * base + rust * 0.26 * v
        out[1] = (1 - rust) * base * 1.02 + rust * 0.115 * v
        out[2] = (1 - rust) * base * 1.05 + rust * 0.05 * v
        spec, rough = 0.35 * (1 - rust) + 0.03, 0.28
    elif material == GRASS:
        n = fbm(x, y, z, 0.06, 8, fp, seed)
        m = fbm(x, y, z, 1.1, 8, fp, seed + 17)
        dry = _smoothstep(-0.1, 0.3, n + 0.4 * m)
        v = 1.0 + 1.1 * m
        out[0] = v * (0.055 + 0.16 * dry)
        out[1] = v * (0.085 + 0.10 * dry)
        out[2] = v * (0.030 + 0.04 * dry)
    elif material == BRICK:
        row = math.floor(gy / 0.075)
        along = gx + 0.11 * (row % 2)
        col = math.floor(along / 0.22)
        mortar = max(
            _line(gy - row * 0.075 - 0.0375, 0.031, fp) * 0 + 1 - _line(gy - row * 0.075 - 0.0375, 0.031, fp),
            1 - _line(along - col * 0.22 - 0.11, 0.103, fp),
        )
        tone = 0.75 + 0.5 * (_hash(int(col), int(row), 7, seed) & np.uint32(255)) / 255.0
        n = fbm(x, y, z, 22.0, 6, fp, seed)
        soot = _smoothstep(-0.3, 0.3, fbm(x, y, z, 1.1, 5, fp, seed + 4))
        v = tone * (1 + 0.7 * n) * (0.35 + 0.65 * soot)
        r, g, b = 0.26 * v, 0.12 * v, 0.08 * v
        mv = 0.34 * (1 + 0.6 * n) * (0.4 + 0.6 * soot)
        out[0] = r + mortar * (mv - r)
        out[1] = g + mortar * (mv * 0.95 - g)
        out[2] = b + mortar * (mv * 0.86 - b)
    elif material == LIMEWASH:
        n = fbm(x, y, z, 2.2, 8, fp, seed)
        flake = _smoothstep(0.18, 0.24, fbm(x, y, z, 1.4, 7, fp, seed + 8))
        streak = _smoothstep(0.0, 0.5, fbm(x * 1.0, y * 0.08, z, 4.0, 5, fp, seed + 9))
        v = 0.66 + 0.18 * n - 0.16 * streak
        out[0] = v * out[0] + flake * (0.30 - v * out[0])
        out[1] = v * 0.96 * out[1] + flake * (0.25 - v * 0.96 * out[1])
        out[2] = v * 0.88 * out[2] + flake * (0.19 - v * 0.88 * out[2])
    elif material == CRYSTAL:
        n = fbm(x, y, z, 60.0, 7, fp, seed)
        vein = fbm(x, y, z, 14.0, 4, fp, seed + 2)
        v = 0.84 + 0.16 * n + 0.10 * vein
        out[0], out[1], out[2] = v * out[0], v * out[1], v * out[2]
        spec, rough = 0.9, 0.13
    elif material == CLOTH:
        n = fbm(x, y, z, 30.0, 6, fp, seed)
        k = max(0.0, 1 - fp * 350)
        weave = 0.12 * k * (math.sin(gx * 1400) + math.sin(gy * 1400))
        v = 1 + 0.5 * n + weave
        out[0], out[1], out[2] = out[0] * v, out[1] * v, out[2] * v
    elif material == GRAVEL:
        n = fbm(x, y, z, 2.0, 8, fp, seed)
        m = fbm(x, y, z, 26.0, 6, fp, seed + 5)
        v = 0.20 + 0.12 * n + 0.16 * m
        salt = _smoothstep(0.1, 0.4, fbm(x, y, z, 1.2, 8, fp, seed + 14))
        out[0] = v * 1.1 + salt * 0.4
        out[1] = v * 0.97 + salt * 0.4
        out[2] = v * 0.82 + salt * 0.4
    elif material == REED:
        n = fbm(x, y * 0.2, z, 20.0, 4, fp, seed)
        out[0], out[1], out[2] = 0.20 + 0.1 * n, 0.19 + 0.1 * n, 0.07 + 0.04 * n
    elif material == FLAT:
        spec, rough = 0.05, 0.3
    elif material == FUR:
        # hairs lie along the axis and part in tufts; each has a dark root and a light tip
        bend = 0.004 * fbm(gx, gy, gz, 40.0, 3, fp, seed + 1)
        hair = fbm(gx + bend, gy * 0.05, gz + bend, 700.0, 4, fp, seed + 2)
        tuft = fbm(gx + 3 * bend, gy * 0.2, gz, 70.0, 4, fp, seed + 3)
        patch = _smoothstep(-0.15, 0.15, fbm(x, y, z, 9.0, 4, fp, seed + 4))
        v = max(0.12, 1.0 + 1.3 * hair + 0.9 * tuft) * (0.35 + 0.65 * patch)
        out[0], out[1], out[2] = out[0] * v, out[1] * v, out[2] * v
        spec, rough = 0.10, 0.2
    elif material == ROPE:
        # three strands twist round the axis, fibres along each
        turn = math.atan2(gz - 0.5 * math.floor(2 * gz), gx) / 6.2832
        strand = abs(math.sin(3.14159 * (3 * turn + gy * 45.0)))
        fibre = fbm(gx + gy, gy * 0.3, gz + gy, 500.0, 4, fp, seed)
        v = (0.45 + 0.55 * strand) * (1 + 0.8 * fibre) * (1 + 0.4 * fbm(x, y, z, 12.0, 4, fp, seed + 1))
        out[0], out[1], out[2] = out[0] * v, out[1] * v, out[2] * v
    elif material == PRINT:
        # lines of words whose letters are of other sizes from line to line
        size = 0.006 * (0.35 + max(0.0, gy - math.floor(gy)))
        line = math.floor(gy / (1.8 * size))
        within = gy - line * 1.8 * size
        letter = math.floor(gz / (0.62 * size))
        code = _hash(int(letter), int(line), 3, seed)
        place = gz - letter * 0.62 * size
        ink = 0.0
        if code & np.uint32(7):  # an eighth are gaps between words
            stem = 0.18 * size if code & np.uint32(8) else 0.40 * size
            bar = 0.25 * size if code & np.uint32(16) else 0.75 * size
            tall = _line(within - 0.5 * size, 0.5 * size, fp)
            ink = max(_line(place - stem, 0.065 * size, fp) * tall, _line(within - bar, 0.065 * size, fp) * 0.8)
        v = 0.86 * (1 - 0.93 * ink) * (1 + 0.04 * fbm(x, y, z, 25.0, 4, fp, seed))
        out[0], out[1], out[2] = out[0] * v, out[1] * v, out[2] * v
    for c in range(3):
        out[c] = min(0.93, max(0.004, out[c]))
    return spec, rough


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def shade_surface(position, normal, footprint, material, axis, tint, seed, albedo, bumped, gloss):
    """Return the albedo, bumped normal and gloss (strength, roughness) for N surface points.

    Writes into the last three arrays.

    Parameters
    ----------
    position
        Positions (N, 3), metres.
    normal
        Surface normals (N, 3).
    footprint
        Size of a pixel on the surface, metres.
    material
        Index of the material.
    axis
        Axis of the texture.
    tint
        Colour of the surface.
    seed
        Seed of the random generator.
    albedo
        Reflectance, 0 to 1.
    bumped
        Normals with bumps, changed in place.
    gloss
        Gloss, changed in place.
    """
    for i in prange(position.shape[0]):
        m = material[i]
        x, y, z = position[i, 0], position[i, 1], position[i, 2]
        fp = footprint[i]
        ax, ay, az = axis[i, 0], axis[i, 1], axis[i, 2]
        nx, ny, nz = normal[i, 0], normal[i, 1], normal[i, 2]
        gy = x * ax + y * ay + z * az
        # a fixed frame across the axis makes wood a solid texture, continuous round corners and posts
        if abs(ax) < 0.8:
            cx, cy, cz = 0.0, az, -ay
        else:
            cx, cy, cz = -az, 0.0, ax
        length = math.sqrt(cx * cx + cy * cy + cz * cz) + 1e-6
        cx, cy, cz = cx / length, cy / length, cz / length
        gx = x * cx + y * cy + z * cz
        gz = x * (ay * cz - az * cy) + y * (az * cx - ax * cz) + z * (ax * cy - ay * cx)
        if m == BRICK:
            gx = x + z  # courses run on round the corner
        albedo[i, 0], albedo[i, 1], albedo[i, 2] = tint[i, 0], tint[i, 1], tint[i, 2]
        strength, rough = _albedo(m, x, y, z, gx, gy, gz, fp, seed[i], albedo[i])
        gloss[i, 0], gloss[i, 1] = strength, rough
        e = max(fp, 2e-4)
        h0 = _height(m, x, y, z, fp, seed[i])
        if m in (WATER, CHART, LAMP):
            bumped[i, 0], bumped[i, 1], bumped[i, 2] = nx, ny, nz
            continue
        dx = (_height(m, x + e, y, z, fp, seed[i]) - h0) / e
        dy = (_height(m, x, y + e, z, fp, seed[i]) - h0) / e
        dz = (_height(m, x, y, z + e, fp, seed[i]) - h0) / e
        along = dx * nx + dy * ny + dz * nz
        bx, by, bz = nx - (dx - along * nx), ny - (dy - along * ny), nz - (dz - along * nz)
        length = math.sqrt(bx * bx + by * by + bz * bz)
        bumped[i, 0], bumped[i, 1], bumped[i, 2] = bx / length, by / length, bz / length


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def water_normals(position, footprint, amplitude, seed, out):
    """Return the normals of a rippled water surface: the gradient of two scales of moving ripples.

    Parameters
    ----------
    position
        Positions (N, 3), metres.
    footprint
        Size of a pixel on the surface, metres.
    amplitude
        Height of the waves, metres.
    seed
        Seed of the random generator.
    out
        Array to fill.
    """
    for i in prange(position.shape[0]):
        x, z, fp = position[i, 0], position[i, 2], footprint[i]
        e = max(0.004, fp)
        calm = 0.35 + 0.65 * _smoothstep(-0.25, 0.25, gradient_noise(x * 0.13, 0.0, z * 0.13, seed + 77))
        h0 = fbm(x, z * 0.7, 0.0, 1.9, 6, fp, seed)
        hx = fbm(x + e, z * 0.7, 0.0, 1.9, 6, fp, seed)
        hz = fbm(x, (z + e) * 0.7, 0.0, 1.9, 6, fp, seed)
        dx = amplitude * calm * (hx - h0) / e
        dz = amplitude * calm * (hz - h0) / e
        length = math.sqrt(1 + dx * dx + dz * dz)
        out[i, 0], out[i, 1], out[i, 2] = -dx / length, 1 / length, -dz / length


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def sky_radiance(direction, footprint, sky, out):
    """Return the radiance coefficients of the sky for N directions.

    Parameters
    ----------
    direction
        Directions (N, 3), unit vectors.
    footprint
        Size of a pixel on the surface, metres.
    sky
        Zenith rgb, horizon rgb, sun direction, glow rgb, glow exponent, cloud cover (0..1), cloud rgb, cloud
        scale, seed, ground rgb, cloud shade rgb (24 numbers), in cd/m2.
    out
        Array to fill.
    """
    for i in prange(direction.shape[0]):
        x, y, z = direction[i, 0], direction[i, 1], direction[i, 2]
        up = max(y, 0.0)
        t = math.exp(-3.2 * up)
        cos_sun = max(0.0, x * sky[6] + y * sky[7] + z * sky[8])
        glow = cos_sun ** sky[12]
        for c in range(3):
            out[i, c] = sky[c] + (sky[3 + c] - sky[c]) * t + sky[9 + c] * glow
        if y <= 0.0:
            below = min(1.0, -y * 12)
            for c in range(3):
                out[i, c] += (sky[19 + c] - out[i, c]) * below
            continue
        if sky[13] <= 0:
            continue
        reach = 1.0 / (up + 0.07)
        u, v = x * reach * sky[17], z * reach * sky[17]
        fp = footprint * reach * reach * sky[17]
        seed = int(sky[18])
        wu = u + 0.35 * fbm(u, v, 3.1, 1.1, 3, fp, seed + 50)
        wv = v + 0.35 * fbm(u, v, 7.7, 1.1, 3, fp, seed + 60)
        n = fbm(wu, wv * 1.5, 0.0, 0.8, 8, fp, seed) + 0.30 * fbm(wu, wv, 0.0, 0.25, 2, fp, seed + 9)
        threshold = 0.42 - 0.6 * sky[13]
        density = _smoothstep(threshold, threshold + 0.30, n)
        if density <= 0:
            continue
        toward_u, toward_v = wu + 0.22 * sky[6], wv + 0.22 * sky[8]
        m = fbm(toward_u, toward_v * 1.5, 0.0, 0.8, 6, fp, seed) + 0.30 * fbm(
            toward_u, toward_v, 0.0, 0.25, 2, fp, seed + 9
        )
        lit = 0.62 + 1.3 * (n - m) - 0.45 * density * density + 0.45 * glow
        lit = 0.12 if lit < 0.12 else (1.15 if lit > 1.15 else lit)
        cover = density * (1 - 0.75 * math.exp(-9 * up))
        for c in range(3):
            shade = sky[22 + c]
            color = shade + (sky[14 + c] - shade) * lit
            out[i, c] += (color - out[i, c]) * cover
