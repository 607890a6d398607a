"""Bake the slow light of each scene (skylight and bounced light) with a path tracer; writes
src/bruto/simphone/data/*.light.

Needs `pip install mitsuba`. The map is illuminance in lux per pixel of a view a little wider than the main lens:
radiance of the scene with its mean reflectances, without the sun's direct light, divided by reflectance. Two
renderings with different seeds give the result (their mean) and its noise (their difference), which is printed and
must stay under a quarter of the sensor's ISO 50 noise at the same light. Denoised by an edge-avoiding a-trous filter
guided by position and normal (Dammertz et al. 2010).
"""

from __future__ import annotations

import argparse
import tempfile
import time
from pathlib import Path

import cv2
import mitsuba as mi
import numpy as np

from bruto.simphone import texture as tx
from bruto.simphone.baked_light import write_light
from bruto.simphone.scene import SCENES, SimulatedScene, load_scene
from bruto.simphone.tracer import BAKE_REACH, BAKE_SIZE, Tracer
from bruto.simphone.view import view_of

OUT = Path(__file__).parents[2] / "src/bruto/simphone/data"
FULL_WELL = 9000.0
"""Electrons of a binned site at saturation, ISO 50 (see `simphone.sensor_model`)."""


def mean_albedo(scene: SimulatedScene) -> np.ndarray:
    """Mean reflectance of each part, sampled on its own vertices, (P, 3)."""
    mesh = scene.mesh
    result = np.zeros((len(mesh.material), 3), np.float32)
    order = np.argsort(mesh.part, kind="stable")
    starts = np.searchsorted(mesh.part[order], np.arange(len(mesh.material) + 1))
    random = np.random.default_rng(0)
    for p in range(len(mesh.material)):
        faces = mesh.faces[order[starts[p] : starts[p + 1]]]
        if mesh.material[p] == tx.WATER:
            result[p] = scene.brine
        elif mesh.material[p] == tx.CHART:
            result[p] = 0.2
        else:
            pick = faces[random.integers(0, len(faces), 60)]
            weights = random.dirichlet(np.ones(3), 60)[..., None]
            where = (mesh.vertices[pick] * weights).sum(axis=1).astype(np.float32)
            n = len(where)
            albedo, bump, gloss = (
                np.empty((n, 3), np.float32),
                np.empty((n, 3), np.float32),
                np.empty((n, 2), np.float32),
            )
            up = np.tile(np.float32([0, 1, 0]), (n, 1))
            tx.shade_surface(
                where,
                up,
                np.full(n, 0.002, np.float32),
                np.full(n, mesh.material[p]),
                np.tile(mesh.axis[p], (n, 1)),
                np.tile(mesh.tint[p], (n, 1)),
                np.full(n, mesh.seed[p]),
                albedo,
                bump,
                gloss,
            )
            result[p] = albedo.mean(axis=0)
    return np.clip(result, 0.02, 0.9)


def to_mitsuba(scene: SimulatedScene, albedo: np.ndarray, folder: Path) -> dict:
    """Meshes grouped by quantised reflectance, a sky map, and the camera, as a scene dictionary."""
    mesh = scene.mesh
    key = np.round(albedo * 24).astype(int)
    groups, group_of = np.unique(key, axis=0, return_inverse=True)
    face_group = group_of.ravel()[mesh.part]
    scene_dict: dict = {"type": "scene"}
    for k, level in enumerate(groups):
        faces = mesh.faces[face_group == k]
        used, inverse = np.unique(faces, return_inverse=True)
        m = mi.Mesh(f"g{k}", len(used), len(faces))
        params = mi.traverse(m)
        params["vertex_positions"] = mesh.vertices[used].ravel()
        params["faces"] = inverse.reshape(-1, 3).astype(np.uint32).ravel()
        params.update()
        path = folder / f"g{k}.ply"
        m.write_ply(str(path))
        color = [max(0.02, float(v) / 24) for v in level]
        scene_dict[f"g{k}"] = {
            "type": "ply",
            "filename": str(path),
            "face_normals": True,
            "bsdf": {"type": "twosided", "b": {"type": "diffuse", "reflectance": {"type": "rgb", "value": color}}},
        }
    for k, lamp in enumerate(scene.lamps):
        scene_dict[f"lamp{k}"] = {
            "type": "sphere",
            "center": lamp[:3].tolist(),
            "radius": 0.19,
            "emitter": {"type": "area", "radiance": {"type": "rgb", "value": (lamp[3:] / (np.pi * 0.19**2)).tolist()}},
        }
    return scene_dict


def sky_map(scene: SimulatedScene, width: int = 1024) -> np.ndarray:
    """Equirectangular sky in Mitsuba's convention, with the texture's own directions, (h, w, 3)."""
    h = width // 2
    v, u = np.mgrid[0:h, 0:width]
    theta, phi = (v + 0.5) / h * np.pi, (u + 0.5) / width * 2 * np.pi
    d = np.stack([np.sin(phi) * np.sin(theta), np.cos(theta), -np.cos(phi) * np.sin(theta)], -1)
    out = np.empty((h * width, 3), np.float32)
    tx.sky_radiance(d.reshape(-1, 3).astype(np.float32), 0.006, scene.sky, out)
    return out.reshape(h, width, 3)


def guided_denoise(
    light: np.ndarray, position: np.ndarray, normal: np.ndarray, distance: np.ndarray, rounds: int = 5
) -> np.ndarray:
    """A-trous filter in log light; weights fall with distance off the plane, bending of the normal and jumps of
    light.
    """
    kernel = np.array([1, 4, 6, 4, 1]) / 16
    log = np.log2(np.maximum(light, 1e-4))
    floor = np.median(log.mean(axis=2)) - 7
    log = np.maximum(log, floor)
    median = cv2.medianBlur(log.mean(axis=2), 5)
    log = np.minimum(
        log, median[..., None] + 1.0
    )  # fireflies: no pixel brighter than twice the middle of its neighbours
    log = np.maximum(log, median[..., None] - 2.0)
    for level in range(rounds):
        step = 1 << level
        guide = cv2.GaussianBlur(log.mean(axis=2), (0, 0), 2.0)
        total, weights = np.zeros_like(log), np.zeros(log.shape[:2], np.float32)
        for i in range(-2, 3):
            for j in range(-2, 3):
                shift = lambda a, i=i, j=j, step=step: np.roll(a, (i * step, j * step), axis=(0, 1))  # noqa: E731
                off = np.abs(((shift(position) - position) * normal).sum(axis=2)) / (
                    0.01 + 0.004 * distance * step**0.5
                )
                like = np.maximum((shift(normal) * normal).sum(axis=2), 0) ** 16
                jump = np.abs(shift(guide) - guide) / 1.5
                w = kernel[i + 2] * kernel[j + 2] * like * np.exp(-(off**2) - jump**2)
                total += shift(log) * w[..., None]
                weights += w
        log = total / np.maximum(weights, 1e-6)[..., None]
    return np.exp2(log)


def bake(name: str, samples: int) -> None:
    scene = load_scene(name)
    began = time.time()
    w, h = BAKE_SIZE
    view = view_of(scene, w, h, reach=BAKE_REACH)
    albedo = mean_albedo(scene)
    tracer = Tracer(scene, np.ones((h, w, 3), np.float32))
    yy, xx = np.mgrid[0:h, 0:w]
    g = tracer.hit(np.broadcast_to(view.eye, (h * w, 3)), view.directions(xx.ravel() + 0.5, yy.ravel() + 0.5))
    found = g["hit"].reshape(h, w)
    normal, position, distance = (
        g["normal"].reshape(h, w, 3),
        g["position"].reshape(h, w, 3),
        g["distance"].reshape(h, w),
    )
    part_albedo = np.maximum(0.02, np.round(albedo * 24) / 24)[g["part"]].reshape(h, w, 3)
    with tempfile.TemporaryDirectory() as folder:
        base = to_mitsuba(scene, albedo, Path(folder))
        t = mi.ScalarTransform4f
        fov = float(np.degrees(2 * np.arctan(view.half_width)))
        base["camera"] = {
            "type": "perspective",
            "fov": fov,
            "fov_axis": "x",
            "to_world": t().look_at(scene.eye, scene.target, [0, 1, 0]),
            "film": {
                "type": "hdrfilm",
                "width": w,
                "height": h,
                "rfilter": {"type": "box"},
                "component_format": "float32",
            },
            "sampler": {"type": "independent", "sample_count": samples},
        }
        base["sky"] = {"type": "envmap", "bitmap": mi.Bitmap(sky_map(scene)), "to_world": t()}
        runs = []
        for seed in (1, 2):
            total = render(base, 7, samples, seed)
            if scene.sun_lux.any():
                lit = {k: v for k, v in base.items() if k != "sky" and not k.startswith("lamp")}
                lit["sun"] = {
                    "type": "directional",
                    "direction": (-scene.sun_direction).tolist(),
                    "irradiance": {"type": "rgb", "value": scene.sun_lux.tolist()},
                }
                total += np.maximum(render(lit, 7, samples // 2, seed) - render(lit, 2, 24, seed), 0)
            if len(scene.lamps):  # their direct light is traced at capture size
                lamps = {k: v for k, v in base.items() if k != "sky"}
                total -= np.minimum(render(lamps, 2, 24, seed), total)
            runs.append(total[:, ::-1] if mirrored(base, distance) else total)
    light = [np.where(found[..., None], r * np.pi / part_albedo, 0) for r in runs]
    clean = [guided_denoise(x, position, normal, distance) for x in light]
    mean = np.sqrt(clean[0] * clean[1])
    report(name, clean, found)
    (OUT / f"{name}.light").write_bytes(write_light(mean.astype(np.float32)))
    size = (OUT / f"{name}.light").stat().st_size
    print(f"{name}: {time.time() - began:.0f} s, {size / 1e3:.0f} kB", flush=True)


def mirrored(base: dict, distance: np.ndarray) -> bool:
    """Whether the renderer's picture runs the other way: its depth is compared with ours."""
    depth = dict(base, integrator={"type": "aov", "aovs": "d:depth"})
    image = np.log(np.maximum(np.array(mi.render(mi.load_dict(depth), spp=1))[..., -1], 1e-3))
    ours = np.log(np.where(distance < 1e8, distance, 1e-3))
    return bool(np.abs(image[:, ::-1] - ours).mean() < np.abs(image - ours).mean())


def render(base: dict, depth: int, samples: int, seed: int) -> np.ndarray:
    integrator = {"type": "path", "max_depth": depth, "hide_emitters": True}
    scene = mi.load_dict(dict(base, integrator=integrator))
    return np.array(mi.render(scene, spp=samples, seed=seed))[..., :3].astype(np.float32)


def report(name: str, clean: list[np.ndarray], found: np.ndarray) -> None:
    """Noise of the mean of two seeds, high-pass at one bake pixel, against a quarter of ISO 50 noise at a grey of 18
    %.
    """
    difference = np.log(clean[0].mean(axis=2) / clean[1].mean(axis=2))
    fine = difference - cv2.GaussianBlur(difference.astype(np.float32), (0, 0), 2)
    sigma = 1.4826 * np.median(np.abs(fine[found])) / 2
    iso50 = np.sqrt(0.18 / FULL_WELL) / 0.18
    print(f"{name}: rendering noise {sigma * 100:.3f} % (fine), allowed {iso50 / 4 * 100:.3f} %", flush=True)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("names", nargs="*", default=list(SCENES))
    parser.add_argument("--samples", type=int, default=64)
    options = parser.parse_args()
    mi.set_variant("scalar_rgb")
    OUT.mkdir(parents=True, exist_ok=True)
    for name in options.names:
        bake(name, options.samples)


if __name__ == "__main__":
    main()
