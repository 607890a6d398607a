"""Light of a scene at the size of a capture.

What the eye sees first (edges, textures, shadows of the sun, mirror images in brine) is traced here, at capture size.
The slow part of light transport, skylight and light bounced between surfaces, was baked by a path tracer
(`tools/bake_light.py`) into one smooth map per scene; it is joined to the surfaces by their position and normal.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene
from numba import njit, prange
from numpy.typing import NDArray

import bruto.numba_config  # noqa: F401  sets up what kernels run on
from bruto.parallel import map_threads
from bruto.simphone import spectral
from bruto.simphone import texture as tx
from bruto.simphone.baked_light import read_light
from bruto.simphone.scene import SimulatedScene
from bruto.simphone.scene_cache import traced
from bruto.simphone.view import view_of

MARGIN = 0.02
"""Share of the width rendered beyond each side, so that a shaking hand still sees scene."""
BAKE_REACH = 1.07
"""How much wider than the main lens the baked map looks."""


class Tracer:
    """Traces one scene; safe from several threads once built."""

    def __init__(self, scene: SimulatedScene, light: NDArray[np.float32] | None = None, lit: bool = True) -> None:
        """`light`: (h, w, 3) baked illuminance in lux; read from the package when None, unless only shape matters."""
        self.scene = scene
        mesh = scene.mesh
        self._embree = EmbreeScene()
        TriangleMesh(self._embree, mesh.vertices, mesh.faces)
        self._light: NDArray[np.float32] | None = None
        baked = read_light(scene.name) if light is None and lit and scene.name else light
        if baked is None:
            return
        h, w = baked.shape[:2]
        self._bake_view = view_of(scene, w, h, reach=BAKE_REACH)
        if light is None:
            places = traced(scene.name, "bake", ("position", "normal"), lambda: self._baked_places(h, w))
        else:
            places = self._baked_places(h, w)
        self._bake_position, self._bake_normal = map(np.array, places)
        self._light = np.ascontiguousarray(baked, np.float32)

    def _baked_places(self, h: int, w: int) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """Position and normal (h, w, 3) of the surfaces whose light was baked."""
        yy, xx = np.mgrid[0:h, 0:w]
        view = self._bake_view
        g = self.hit(np.broadcast_to(view.eye, (h * w, 3)), view.directions(xx.ravel() + 0.5, yy.ravel() + 0.5))
        position = np.where(g["hit"][:, None], g["position"], 1e9).astype(np.float32)
        return position.reshape(h, w, 3), g["normal"].reshape(h, w, 3)

    def hit(self, origin, direction) -> dict[str, NDArray[Any]]:
        """Return the first surfaces: `hit` mask, `distance`, `position`, `normal` (smooth, facing the ray), `part`.

        Parameters
        ----------
        origin
            Top left corner, pixels.
        direction
            Directions (N, 3), unit vectors.

        Returns
        -------
        dict[str, NDArray]
            First surfaces.
        """
        origin = np.ascontiguousarray(origin, np.float32)
        direction = np.ascontiguousarray(direction, np.float32)
        r = self._embree.run(origin, direction, output=1)
        face = r["primID"]
        found = face >= 0
        face = np.where(found, face, 0)
        mesh = self.scene.mesh
        corners = mesh.faces[face]
        a, b, c = (mesh.vertices[corners[:, k]] for k in range(3))
        flat = np.cross(b - a, c - a)
        normal = (flat / (np.linalg.norm(flat, axis=1, keepdims=True) + 1e-20)).astype(np.float32)
        n = mesh.normals
        smooth = np.any(n[corners[:, 0]] != 0, axis=1)
        if smooth.any():
            corners = corners[smooth]
            u, v = r["u"][smooth, None], r["v"][smooth, None]
            blended = n[corners[:, 0]] * (1 - u - v) + n[corners[:, 1]] * u + n[corners[:, 2]] * v
            normal[smooth] = blended / (np.linalg.norm(blended, axis=1, keepdims=True) + 1e-12)
        away = np.einsum("ij,ij->i", normal, direction) > 0
        normal[away] *= -1
        distance = np.where(found, r["tfar"], 1e9).astype(np.float32)
        return {
            "hit": found,
            "distance": distance,
            "position": origin + direction * distance[:, None],
            "normal": normal,
            "part": mesh.part[face],
        }

    def shadowed(self, position, normal, toward, distance=None) -> NDArray[np.bool_]:
        """Check whether something stands between points and a direction, (N,).

        Parameters
        ----------
        position
            Positions (N, 3), metres.
        normal
            Surface normals (N, 3).
        toward
            Direction to the light.
        distance
            Distance, metres.

        Returns
        -------
        NDArray[np.bool_]
            True where something stands between points and a direction, (N,).
        """
        toward = np.ascontiguousarray(np.broadcast_to(toward, position.shape), np.float32)
        origin = np.ascontiguousarray(position + normal * 2e-3 + toward * 1e-3, np.float32)
        if distance is None:
            return self._embree.run(origin, toward, query="OCCLUDED") >= 0
        return self._embree.run(origin, toward, np.ascontiguousarray(distance, np.float32), query="OCCLUDED") >= 0

    def sky(self, direction, footprint: float) -> NDArray[np.float32]:
        """Compute the light of the sky from directions.

        Parameters
        ----------
        direction
            Directions (N, 3), unit vectors.
        footprint
            Size of a pixel on the surface, metres.

        Returns
        -------
        NDArray[np.float32]
            Spectral radiance (N, 3).
        """
        out = np.empty((len(direction), 3), np.float32)
        tx.sky_radiance(np.ascontiguousarray(direction, np.float32), footprint, self.scene.sky, out)
        return out

    def ambient(self, position, normal) -> NDArray[np.float32]:
        """Compute the baked illuminance where the bake saw the surface.

        Else the scene's own constant bent by the normal's height.

        Parameters
        ----------
        position
            Positions (N, 3), metres.
        normal
            Surface normals (N, 3).

        Returns
        -------
        NDArray[np.float32]
            Baked illuminance where the bake saw the surface, else the scene's own constant bent by the normal's
            height.
        """
        base = (self.scene.ambient * (0.62 + 0.38 * normal[:, 1:2])).astype(np.float32)
        if self._light is None:
            return base
        xy = self._bake_view.project(position)
        out = base.copy()
        _joint_fetch(
            self._light, self._bake_position, self._bake_normal, xy, position.astype(np.float32), normal, base, out
        )
        return out

    def radiance(
        self, origin, direction, pixel_angle: float, depth: int = 0
    ) -> tuple[NDArray[np.float32], NDArray[np.int32], dict[str, NDArray[Any]]]:
        """Compute the radiance coefficients (N, 3) in cd/m2, the chart patch seen (-1 for none), and the first hit.

        Where a patch is seen the coefficients are its illuminance over pi: its colour comes from its spectrum.

        Parameters
        ----------
        origin
            Top left corner, pixels.
        direction
            Directions (N, 3), unit vectors.
        pixel_angle
            Angle of a pixel, radians.
        depth
            Depth.

        Returns
        -------
        tuple[NDArray[np.float32], NDArray[np.int32], dict[str, NDArray]]
            Radiance coefficients (N, 3) in cd/m2, the chart patch seen (-1 for none), and the first hit.
        """
        scene, mesh = self.scene, self.scene.mesh
        g = self.hit(origin, direction)
        n = len(direction)
        out = self.sky(direction, pixel_angle * (1 + 3 * depth))
        patch = np.full(n, -1, np.int32)
        index = np.flatnonzero(g["hit"])
        g["sunlit"] = np.zeros(n, bool)
        if len(index) == 0:
            return out, patch, g
        position, normal, part, distance = (g[k][index] for k in ("position", "normal", "part", "distance"))
        d = direction[index]
        cosine = np.clip(-np.einsum("ij,ij->i", d, normal), 0.12, 1)
        footprint = (distance * pixel_angle / np.sqrt(cosine) * (1 + depth)).astype(np.float32)
        material = mesh.material[part]
        albedo, bumped, gloss = (
            np.empty((len(index), 3), np.float32),
            np.empty((len(index), 3), np.float32),
            np.empty((len(index), 2), np.float32),
        )
        tx.shade_surface(
            position,
            normal,
            footprint,
            material,
            mesh.axis[part],
            mesh.tint[part],
            mesh.seed[part],
            albedo,
            bumped,
            gloss,
        )
        water = material == tx.WATER
        if water.any():
            ripples = np.empty((int(water.sum()), 3), np.float32)
            tx.water_normals(position[water], footprint[water], scene.ripple, 91, ripples)
            bumped[water] = ripples
            albedo[water] = scene.brine
        light = self.ambient(position, normal)
        spec_light = np.zeros_like(light)
        if scene.sun_lux.any():
            sun = scene.sun_direction.astype(np.float32)
            facing = (normal @ sun > 0) & (bumped @ sun > 0)
            lit = np.zeros(len(index), bool)
            lit[facing] = ~self.shadowed(position[facing], normal[facing], sun)
            g["sunlit"][index] = lit
            soft = np.where(material == tx.CRYSTAL, 0.38, np.where(material == tx.SALT, 0.12, 0.0))
            amount = np.where(lit, np.maximum(bumped @ sun, 0), 0) * (1 - soft) + np.where(lit, soft, 0)
            light += amount[:, None] * scene.sun_lux.astype(np.float32)
            spec_light += np.where(lit, _glint(d, bumped, sun, gloss, water), 0)[:, None] * scene.sun_lux.astype(
                np.float32
            )
        for lamp in scene.lamps:
            to = lamp[:3] - position
            away = np.linalg.norm(to, axis=1)
            to = (to / away[:, None]).astype(np.float32)
            free = ~self.shadowed(position, normal, to, np.maximum(away - 0.16, 0.01))
            strength = np.where(free, 1 / np.maximum(away, 0.12) ** 2, 0)[:, None] * lamp[3:]
            light += (np.maximum(np.einsum("ij,ij->i", bumped, to), 0)[:, None] * strength).astype(np.float32)
            spec_light += (_glint(d, bumped, to, gloss, water)[:, None] * strength).astype(np.float32)
        shade = albedo * light / np.pi + spec_light
        chart = material == tx.CHART
        if chart.any():
            shade[chart] = light[chart] / np.pi
            patch[index[chart]] = mesh.tint[part[chart], 0].astype(np.int32)
        lamp_hit = material == tx.LAMP
        shade[lamp_hit] = mesh.tint[part[lamp_hit]] * 5200.0
        if water.any():
            nw, dw = bumped[water], d[water]
            cos_in = np.clip(-np.einsum("ij,ij->i", dw, nw), 0, 1)
            fresnel = (0.021 + 0.979 * (1 - cos_in) ** 5)[:, None]
            mirror = dw + 2 * cos_in[:, None] * nw
            mirror[:, 1] = np.maximum(mirror[:, 1], 0.004)
            mirror /= np.linalg.norm(mirror, axis=1, keepdims=True)
            if depth == 0:
                seen, _, _ = self.radiance(
                    position[water] + normal[water] * 1e-3, mirror.astype(np.float32), pixel_angle * 2, 1
                )
            else:
                seen = self.sky(mirror, pixel_angle * 4)
            shade[water] = shade[water] * (1 - fresnel) + seen * fresnel
        if scene.haze_distance:
            through = np.exp(-np.maximum(distance - 40, 0) / scene.haze_distance)[:, None].astype(np.float32)
            level = d.copy()
            level[:, 1] = np.maximum(level[:, 1], 0.01)
            shade = shade * through + self.sky(level, 0.3) * 0.85 * (1 - through)
        out[index] = shade
        return out, patch, g


def _glint(direction, normal, toward, gloss, water) -> NDArray[np.float32]:
    """Normalised Blinn-Phong lobe with Schlick's Fresnel term, per unit of illuminance (N,)."""
    half = toward - direction
    half = half / (np.linalg.norm(half, axis=1, keepdims=True) + 1e-9)
    rough = np.where(water, 0.035, gloss[:, 1])
    strength = np.where(water, 1.0, gloss[:, 0])
    power = 2 / rough**2 - 2
    lobe = np.maximum(np.einsum("ij,ij->i", half, normal), 0) ** power * (power + 8) / (8 * np.pi)
    f = 0.04 + 0.96 * (1 - np.clip(-np.einsum("ij,ij->i", direction, half), 0, 1)) ** 5
    facing = np.maximum(np.einsum("ij,ij->i", normal, np.broadcast_to(toward, normal.shape)), 0)
    return (np.minimum(lobe * f * facing, 6.0) * strength).astype(np.float32)


@njit(parallel=True, cache=True, fastmath=True, nogil=True, error_model="numpy")
def _joint_fetch(light, bake_position, bake_normal, xy, position, normal, base, out):
    """Fetch the baked light bilinearly, weighted by likeness of position and normal.

    Joint bilateral upsampling, Kopf 2007.
    """
    h, w = light.shape[0], light.shape[1]
    for i in prange(xy.shape[0]):
        fx, fy = xy[i, 0] - 0.5, xy[i, 1] - 0.5
        if fx < 0 or fy < 0 or fx >= w - 1 or fy >= h - 1:
            continue
        x0, y0 = int(fx), int(fy)
        total = 0.0
        r = g = b = 0.0
        for reach in range(2):
            for dy in range(-reach, 2 + reach):
                for dx in range(-reach, 2 + reach):
                    x, y = x0 + dx, y0 + dy
                    if x < 0 or y < 0 or x >= w or y >= h:
                        continue
                    wx, wy = 1 - abs(fx - x) / (1 + reach), 1 - abs(fy - y) / (1 + reach)
                    if wx <= 0 or wy <= 0:
                        continue
                    ex = position[i, 0] - bake_position[y, x, 0]
                    ey = position[i, 1] - bake_position[y, x, 1]
                    ez = position[i, 2] - bake_position[y, x, 2]
                    off = ex * normal[i, 0] + ey * normal[i, 1] + ez * normal[i, 2]
                    scale = 1e-3 + 0.004 * math.sqrt(ex * ex + ey * ey + ez * ez) + 0.02
                    like = (
                        normal[i, 0] * bake_normal[y, x, 0]
                        + normal[i, 1] * bake_normal[y, x, 1]
                        + normal[i, 2] * bake_normal[y, x, 2]
                    )
                    if like <= 0.3:
                        continue
                    near = math.exp(
                        -((off / scale) ** 2)
                        - 0.15 * (ex * ex + ey * ey + ez * ez) / (1.0 + 0.02 * (ex * ex + ey * ey + ez * ez))
                    )
                    weight = wx * wy * near * like**6
                    total += weight
                    r += weight * light[y, x, 0]
                    g += weight * light[y, x, 1]
                    b += weight * light[y, x, 2]
            if total > 1e-3:
                break
        if total > 1e-3:
            out[i, 0], out[i, 1], out[i, 2] = r / total, g / total, b / total


STEP_OF_LIGHT = 0.18
"""Natural logarithm of the step of light between neighbours from which a pixel gets more rays."""


def trace(
    scene: SimulatedScene,
    width: int,
    height: int,
    focal_35mm: float = 26.0,
    *,
    samples_on_edges: int = 8,
    margin: float = MARGIN,
    light: NDArray[np.float32] | None = None,
) -> tuple[NDArray[np.float16], NDArray[np.float16]]:
    """Compute the sensor response per second of unit exposure and truth of a scene at capture size.

    Returns camera RGB and XYZ, each (height + 2 m, width + 2 m, 3) float16 with m = round(margin * width), both in
    units of 1/1000 cd/m2; camera RGB is scaled so that its green equals Y for a white under D55. One ray a pixel,
    and `samples_on_edges` more where parts, depth, shadow or patches meet or the light changes at once.

    Parameters
    ----------
    scene
        The simulated scene.
    width
        Width, pixels.
    height
        Height, pixels.
    focal_35mm
        35 mm equivalent focal length, mm.
    samples_on_edges
        Samples per pixel on edges.
    margin
        Margin around the frame, share of its size.
    light
        Linear light, 1 = sensor saturation.

    Returns
    -------
    tuple[NDArray[np.float16], NDArray[np.float16]]
        Sensor response per second of unit exposure and truth of a scene at capture size.
    """
    tracer = Tracer(scene, light)
    m = round(margin * width)
    full_w, full_h = width + 2 * m, height + 2 * m
    view = view_of(scene, full_w, full_h, focal_35mm, reach=full_w / width)
    light_spectrum = spectral.illuminant(scene.kelvin, scene.tungsten)
    basis, chart = spectral.reflectance_basis(), spectral.chart()
    to_camera, to_xyz = spectral.camera_response(basis, light_spectrum), spectral.tristimulus(basis, light_spectrum)
    chart_camera, chart_xyz = (
        spectral.camera_response(chart, light_spectrum),
        spectral.tristimulus(chart, light_spectrum),
    )
    camera = np.empty((full_h, full_w, 3), np.float16)
    truth = np.empty((full_h, full_w, 3), np.float16)
    pixel_angle = 2 * view.half_width / full_w

    def colored(x, y):
        d = view.directions(x, y)
        rad, patch, g = tracer.radiance(np.broadcast_to(view.eye.astype(np.float32), d.shape), d, pixel_angle)
        rad = rad / 1000.0
        cam, xyz = rad @ to_camera, rad @ to_xyz
        seen = patch >= 0
        if seen.any():
            grey = rad[seen].mean(axis=1, keepdims=True)
            cam[seen], xyz[seen] = grey * chart_camera[patch[seen]], grey * chart_xyz[patch[seen]]
        return cam, xyz, g, patch

    rows_per_tile = max(8, 300_000 // full_w)

    def tile(y0: int) -> None:
        y1 = min(full_h, y0 + rows_per_tile)
        yy, xx = np.mgrid[y0:y1, 0:full_w]
        cam, xyz, g, patch = colored(xx.ravel() + 0.5, yy.ravel() + 0.5)
        shape = (y1 - y0, full_w)
        edges = _edges(
            np.where(g["hit"], g["part"], -1).reshape(shape),
            np.log(g["distance"]).reshape(shape),
            g["sunlit"].reshape(shape),
            patch.reshape(shape),
            g["normal"].reshape(*shape, 3),
            np.log(np.maximum(xyz[:, 1], 1e-6)).reshape(shape),
        )
        ey, ex = np.nonzero(edges)
        if len(ey) and samples_on_edges:
            flat = ey * full_w + ex
            sum_cam, sum_xyz = np.zeros((len(ey), 3)), np.zeros((len(ey), 3))
            for k in range(samples_on_edges):
                # the R2 sequence fills the pixel evenly
                ox, oy = (0.5 + 0.7548776662 * (k + 1)) % 1, (0.5 + 0.5698402910 * (k + 1)) % 1
                c, t, _, _ = colored(ex + ox, ey + y0 + oy)
                sum_cam += c
                sum_xyz += t
            cam[flat], xyz[flat] = sum_cam / samples_on_edges, sum_xyz / samples_on_edges
        camera[y0:y1] = np.minimum(cam, 60000).reshape(*shape, 3)
        truth[y0:y1] = np.minimum(xyz, 60000).reshape(*shape, 3)

    map_threads(tile, range(0, full_h, rows_per_tile))
    return camera, truth


def _edges(part, log_distance, sunlit, patch, normal, log_light) -> NDArray[np.bool_]:
    """Find pixels next to a change of part, depth, shadow, patch, a sharp fold, or light.

    Ripples that mirror now the sky, now the shore, would sparkle with one ray a pixel.
    """
    edge = np.zeros(part.shape, bool)
    for axis in (0, 1):
        a, b = [slice(None)] * 2, [slice(None)] * 2
        a[axis], b[axis] = slice(1, None), slice(None, -1)
        p, q = tuple(a), tuple(b)
        differ = (
            (part[p] != part[q])
            | (abs(log_distance[p] - log_distance[q]) > 0.05)
            | (sunlit[p] != sunlit[q])
            | (patch[p] != patch[q])
        )
        differ |= abs(log_light[p] - log_light[q]) > STEP_OF_LIGHT
        differ |= np.einsum("ijk,ijk->ij", normal[p], normal[q]) < 0.8
        edge[p] |= differ
        edge[q] |= differ
    return edge
