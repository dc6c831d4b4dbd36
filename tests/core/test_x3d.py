"""X3D and VRML97: one world in both encodings, solids by their volumes, clips, and what is wrong on purpose."""

from __future__ import annotations

import colorsys
import gzip
from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from pruxel.core.base.context import Context
from pruxel.core.base.errors import ErrorCode, InputError
from pruxel.core.base.limits import Limits
from pruxel.core.formats.registry import FORMATS, ReadResult, format_for
from pruxel.core.geometry.colors import linear_from_srgb
from pruxel.core.geometry.creases import face_normals, smooth_corners
from pruxel.core.images import png
from pruxel.core.scene.digest import digest
from pruxel.core.scene.looking import looking
from pruxel.core.scene.model import Scene
from pruxel.core.scene.pose import posed, standing
from pruxel.core.scene.walk import world_from_local

PICTURE = png.encode(np.full((2, 2, 4), 90, np.uint8))
VRML = "#VRML V2.0 utf8\n"


def opened(data: bytes | str, name: str = "world.wrl", nodes: int = 100_000) -> ReadResult:
    raw = data.encode() if isinstance(data, str) else data
    spec = format_for(name, raw[:512])
    assert spec is FORMATS.get("x3d")
    assert spec.read is not None
    context = Context(limits=Limits(nodes=nodes))
    return spec.read(memoryview(raw), name, lambda link: PICTURE if link.endswith(".png") else None, context)


def solid(body: str) -> trimesh.Trimesh:
    """The one part of a world, its vertices joined by place alone."""
    [(_, _, mesh)] = standing(opened(f"{VRML}Shape {{ geometry {body} }}").scene)
    [primitive] = mesh.primitives
    made = trimesh.Trimesh(primitive.positions, primitive.indices, process=False)
    made.merge_vertices(merge_tex=True, merge_norm=True)
    return made


SOLIDS = {
    "Box { size 2 4 6 }": 48.0,
    "Sphere { radius 2 }": 4 / 3 * np.pi * 8,
    "Cylinder { radius 2 height 5 }": np.pi * 20,
    "Cone { bottomRadius 3 height 2 }": np.pi * 6,
    "Extrusion { }": 4.0,
    "Extrusion { spine [ 0 0 0, 0 2 0, 0 2 4 ] scale [ 1 1, 1 1, .5 .5 ] }": None,
    "Extrusion { spine [ 0 0 0, 0 3 0 ] orientation 0 1 0 1 crossSection [ 2 1, 2 -1, -2 -1, -2 1, 2 1 ] }": 24.0,
}


@pytest.mark.parametrize(("body", "volume"), SOLIDS.items(), ids=list(SOLIDS))
def test_solids_are_closed_and_outward(body: str, volume: float | None) -> None:
    made = solid(body)
    assert made.is_watertight
    assert made.volume > 0
    if volume is not None:
        assert made.volume == pytest.approx(volume, rel=0.02)


def test_solids_can_be_open_or_inside_out() -> None:
    assert not solid("Cylinder { top FALSE }").is_watertight
    assert solid("Extrusion { ccw FALSE }").volume < 0
    hill = solid("ElevationGrid { xDimension 3 zDimension 3 xSpacing 2 height [ 0 0 0, 0 3 0, 0 0 0 ] }")
    np.testing.assert_allclose(hill.bounds, [[0, 0, 0], [4, 3, 2]])
    assert (hill.face_normals[:, 1] > 0).all()


FACES = "[ 0 1 2 3 -1, 4 7 6 5 -1, 0 4 5 1 -1, 1 5 6 2 -1 2 6 7 3, -1, 3 7 4 0 ]"
POINTS = "[ -1 -1 -1, -1 1 -1, 1 1 -1, 1 -1 -1, -1 -1 1, -1 1 1, 1 1 1, 1 -1 1 ]"
TRIANGLES = " ".join(f"{f[0]} {f[1]} {f[2]} {f[0]} {f[2]} {f[3]}" for f in np.array(
    [[0, 1, 2, 3], [4, 7, 6, 5], [0, 4, 5, 1], [1, 5, 6, 2], [2, 6, 7, 3], [3, 7, 4, 0]]).tolist())  # fmt: skip
STRIPS = "0 1 3 2 -1 4 7 5 6 -1 0 4 1 5 -1 1 5 2 6 -1 2 6 3 7 -1 3 7 0 4"
CLASSIC = f"""{VRML}# a world ] of everything
DEF All Transform {{ translation 1 2 3 rotation 0 1 0 1.5 center 0 1 0 scale 1 2 1 scaleOrientation 0 0 1 .7
  children [ DEF Part Shape {{
    appearance DEF Look Appearance {{ material Material {{ diffuseColor .2 .4 .6 transparency 0.25 }}
      texture ImageTexture {{ url [ "http://nowhere/a.png" "skin.png" ] }}
      textureTransform TextureTransform {{ scale 2 3 translation .5 .25 center .5 .5 }} }}
    geometry IndexedFaceSet {{ solid FALSE creaseAngle 0.5
      coord Coordinate {{ point {POINTS} # a remark ] within
      }}
      color Color {{ color [ 1 0 0, 0 1 0, 0 0 1, 1 1 0, 0 1 1, 1 0 1 ] }} colorPerVertex FALSE
      texCoord TextureCoordinate {{ point [ 0 0, 1 0, 1 1, 0 1 ] }}
      coordIndex {FACES}
      texCoordIndex [ 0 1 2 3 -1 0 1 2 3 -1 0 1 2 3 -1 0 1 2 3 -1 0 1 2 3 -1 0 1 2 3 ] }} }}
  DEF Lines Shape {{ geometry IndexedLineSet {{ coord Coordinate {{ point [ 0 0 0, 1 0 0, 1 1 0 ] }} coordIndex [ 0 1 2 -1 2 0 ] }} }}
  ] }}
DEF Twice Transform {{ translation 9 0 0 children USE Part }}
Viewpoint {{ position 0 0 7 orientation 0 1 0 0.5 description "from afar" }}
DEF Lamp SpotLight {{ location 1 1 1 direction 0 -1 0 cutOffAngle .6 intensity .5 radius 20 }}
DEF Clock TimeSensor {{ cycleInterval 4 loop TRUE }}
DEF Turn OrientationInterpolator {{ key [ 0 .5 1 ] keyValue [ 0 1 0 0, 0 1 0 1.5, 0 1 0 3 ] }}
DEF Way PositionInterpolator {{ key [ 0, 1 ] keyValue [ 0 0 0, 8 0 0 ] }}
ROUTE Clock.fraction_changed TO Turn.set_fraction
ROUTE Turn.value_changed TO Twice.set_rotation
ROUTE Clock.fraction_changed TO Way.set_fraction
ROUTE Way.value_changed TO Twice.translation
"""
MARKUP = f"""<?xml version="1.0" encoding="UTF-8"?><X3D profile="Immersive" version="3.3"><head/><Scene>
<Transform DEF="All" translation="1 2 3" rotation="0 1 0 1.5" center="0 1 0" scale="1 2 1" scaleOrientation="0 0 1 .7">
<Shape DEF="Part"><Appearance DEF="Look"><Material diffuseColor=".2 .4 .6" transparency="0.25"/>
<ImageTexture url='"http://nowhere/a.png" "skin.png"'/>
<TextureTransform scale="2 3" translation=".5 .25" center=".5 .5"/></Appearance>
<IndexedFaceSet solid="false" creaseAngle="0.5" colorPerVertex="false" coordIndex="{FACES[1:-1]}"
 texCoordIndex="0 1 2 3 -1 0 1 2 3 -1 0 1 2 3 -1 0 1 2 3 -1 0 1 2 3 -1 0 1 2 3">
<Coordinate point="{POINTS[1:-1]}"/><Color color="1 0 0, 0 1 0, 0 0 1, 1 1 0, 0 1 1, 1 0 1"/>
<TextureCoordinate point="0 0, 1 0, 1 1, 0 1"/></IndexedFaceSet></Shape>
<Shape DEF="Lines"><IndexedLineSet coordIndex="0 1 2 -1 2 0"><Coordinate point="0 0 0, 1 0 0, 1 1 0"/></IndexedLineSet></Shape>
</Transform><Transform DEF="Twice" translation="9 0 0"><Shape USE="Part"/></Transform>
<Viewpoint position="0 0 7" orientation="0 1 0 0.5" description="from afar"/>
<SpotLight DEF="Lamp" location="1 1 1" direction="0 -1 0" cutOffAngle=".6" intensity=".5" radius="20"/>
<TimeSensor DEF="Clock" cycleInterval="4" loop="true"/>
<OrientationInterpolator DEF="Turn" key="0 .5 1" keyValue="0 1 0 0, 0 1 0 1.5, 0 1 0 3"/>
<PositionInterpolator DEF="Way" key="0, 1" keyValue="0 0 0, 8 0 0"/>
<ROUTE fromNode="Clock" fromField="fraction_changed" toNode="Turn" toField="set_fraction"/>
<ROUTE fromNode="Turn" fromField="value_changed" toNode="Twice" toField="set_rotation"/>
<ROUTE fromNode="Clock" fromField="fraction_changed" toNode="Way" toField="set_fraction"/>
<ROUTE fromNode="Way" fromField="value_changed" toNode="Twice" toField="translation"/>
</Scene></X3D>"""


def bare(scene: Scene) -> Scene:
    return replace(scene, notes=())


def test_both_encodings_packed_or_not_say_the_same() -> None:
    one = opened(CLASSIC).scene
    for data, name in (
        (MARKUP.encode(), "world.x3d"),
        (gzip.compress(MARKUP.encode()), "world.x3dz"),
        (gzip.compress(CLASSIC.encode()), "world.wrz"),
        (CLASSIC.replace(VRML, "#X3D V3.3 utf8\nPROFILE Immersive\n").encode(), "world.x3dv"),
    ):
        assert digest(bare(opened(data, name).scene)) == digest(bare(one)), name


def test_a_world_comes_in_as_it_is_written() -> None:
    scene = opened(CLASSIC).scene
    names = {node.name: number for number, node in enumerate(scene.nodes)}
    world = world_from_local(scene)
    # T C R SR S -SR -C, by hand: the pivot itself only moves.
    np.testing.assert_allclose(world[names["All"]] @ [0, 1, 0, 1], [1, 3, 3, 1], atol=1e-12)
    own = world[names["All"]][:3, :3]
    np.testing.assert_allclose(np.sort(np.linalg.svd(own)[1]), [1, 1, 2], atol=1e-12)
    part = scene.meshes[scene.nodes[names["Part"]].mesh or 0].primitives[0]
    assert part.face_sizes is not None
    assert part.face_sizes.tolist() == [4] * 6
    assert len(part.positions) == 24, "edges sharper than the crease angle keep faces apart"
    assert part.normals is not None
    assert np.abs(part.normals).max(axis=1) == pytest.approx(np.ones(24))
    assert len(np.unique(part.colors[0].round(4), axis=0)) == 6
    assert scene.nodes[names["Part"]].mesh == scene.nodes[names["Part.2"]].mesh
    [look] = [m for m in scene.materials if m.name == "Look"]
    assert look.double_sided
    assert look.base_color[3] == pytest.approx(0.75)
    assert look.base_color_texture is not None
    assert look.base_color_texture.scale == (2.0, 3.0)
    lines = scene.meshes[scene.nodes[names["Lines"]].mesh or 0].strokes[0]
    assert lines.indices.tolist() == [[0, 1], [1, 2], [2, 0]]
    eye, lamp = (world[names[name]] for name in ("from afar", "Lamp"))
    np.testing.assert_allclose(eye @ [0, 0, -1, 1], [-np.sin(0.5), 0, 7 - np.cos(0.5), 1], atol=1e-12)
    np.testing.assert_allclose(lamp @ [0, 0, -2, 1], [1, -1, 1, 1], atol=1e-12)
    [clip] = scene.clips
    assert clip.name == "Clock"
    for seconds, x, angle in ((0.0, 0, 0), (1.0, 2, 0.75), (3.0, 6, 2.25), (4.0, 8, 3)):
        node = posed(scene, clip, seconds).nodes[names["Twice"]]
        assert node.translation == pytest.approx((x, 0, 0), abs=1e-5)
        assert abs(node.rotation[1]) == pytest.approx(np.sin(angle / 2), abs=1e-5)


@pytest.mark.parametrize(
    "body",
    [
        f"IndexedTriangleSet {{ coord Coordinate {{ point {POINTS} }} index [ {TRIANGLES} ] }}",
        f"IndexedTriangleFanSet {{ coord Coordinate {{ point {POINTS} }} index {FACES} }}",
        f"IndexedFaceSet {{ coord Coordinate {{ point {POINTS} }} coordIndex {FACES} convex FALSE }}",
        f"IndexedQuadSet {{ coord Coordinate {{ point {POINTS} }} index [ {FACES.replace('-1', '').strip('[]')} ] }}",
        f"IndexedTriangleStripSet {{ coord Coordinate {{ point {POINTS} }} index [ {STRIPS} ] }}",
    ],
    ids=["triangles", "fans", "faces", "quads", "strips"],
)
def test_sets_of_faces_make_the_same_box(body: str) -> None:
    made = solid(body)
    assert made.is_watertight
    assert made.volume == pytest.approx(8)


@given(crease=st.floats(0.05, 3.1), sides=st.integers(3, 24))
@settings(deadline=None, max_examples=60)
def test_faces_are_smooth_below_the_crease_angle_only(crease: float, sides: int) -> None:
    """A prism's sides meet at a full turn over their number, everywhere alike."""
    turn = 2 * np.pi / sides
    if abs(turn - crease) < 1e-6:
        return
    around = np.arange(sides) * turn
    ring = np.stack([np.cos(around), np.sin(around)], axis=1)
    points = np.concatenate([np.insert(ring, 2, z, axis=1) for z in (0.0, 1.0)])
    k, after = np.arange(sides), (np.arange(sides) + 1) % sides
    point = np.stack([k, after, after + sides, k + sides], axis=1).reshape(-1)
    sizes = np.full(sides, 4)
    labels = smooth_corners(points, point, sizes, crease)
    assert len(np.unique(np.stack([point, labels]), axis=1).T) == (2 * sides if turn < crease else 4 * sides)
    outward = face_normals(points, point, sizes)
    np.testing.assert_allclose(
        outward[:, :2], (ring + ring[after]) / np.linalg.norm(ring + ring[after], axis=1)[:, None], atol=1e-12
    )


TOLD = {
    "a corner beyond its points": (CLASSIC.replace("0 1 2 3 -1,", "0 1 2 99 -1,", 1), "corners that are no points"),
    "a group within itself": (
        VRML + "DEF A Group { children [ Shape { geometry Box { } } ] }" + CLASSIC[len(VRML) :],
        "",
    ),
    "polygons of two corners": (CLASSIC.replace("0 1 2 3 -1,", "0 1 -1 2 -1", 1), "too few corners"),
}


@pytest.mark.parametrize(("data", "told"), TOLD.values(), ids=TOLD)
def test_what_cannot_be_used_is_told(data: str, told: str) -> None:
    result = opened(data)
    assert told in " ".join(fault.line() for fault in result.faults)
    assert result.scene.meshes


REFUSED: dict[str, tuple[Callable[[], bytes | str], ErrorCode, str]] = {
    "ten thousand levels": (lambda: VRML + "Group { children [ " * 10_000, ErrorCode.BUDGET, "levels"),
    "uses that multiply": (
        lambda: VRML + "DEF G0 Group { } " + "".join(
            f"DEF G{k} Group {{ children [ USE G{k - 1} USE G{k - 1} ] }} " for k in range(1, 30)
        ),
        ErrorCode.BUDGET,
        "more nodes",
    ),
    "cut in a list": (lambda: CLASSIC[: CLASSIC.index("-1 1 -1,")], ErrorCode.MALFORMED, "line"),
    "cut in a node": (lambda: CLASSIC[: CLASSIC.index("creaseAngle")], ErrorCode.MALFORMED, "line"),
    "brackets in a wrong place": (lambda: VRML + "Shape { ] }", ErrorCode.MALFORMED, "bracket"),
    "words among numbers": (lambda: CLASSIC.replace("-1 1 -1,", "-1 wing -1,"), ErrorCode.MALFORMED, "wing"),
    "a packed bomb": (lambda: gzip.compress(VRML.encode() + b" " * 60_000_000), ErrorCode.BUDGET, "implausibly"),
    "an older kind": (lambda: "#VRML V1.0 ascii\nSeparator { }", ErrorCode.UNKNOWN_FORMAT, "1.0"),
}  # fmt: skip


@pytest.mark.parametrize(("data", "code", "told"), REFUSED.values(), ids=REFUSED)
def test_what_is_wrong_is_refused_with_its_place(data: Callable[[], bytes | str], code: ErrorCode, told: str) -> None:
    with pytest.raises(InputError) as caught:
        opened(data())
    assert caught.value.fault.code is code
    assert caught.value.fault.file == "world.wrl"
    assert told in caught.value.fault.line()


def test_what_a_file_makes_itself_is_passed_over_and_told() -> None:
    proto = 'PROTO Wheel [ field SFFloat r 1 ] { Shape { geometry Sphere { } } } EXTERNPROTO Far [ ] "far.wrl" '
    own = "Group { children [ Wheel { r 2 } Shape { geometry Box { size 1 1 1 } } ] } Sound { } Script { url [ ] }"
    scene = opened(VRML + proto + own).scene
    assert len(scene.meshes) == 1
    words = " ".join(scene.notes)
    for told in ("PROTO", "EXTERNPROTO", "Wheel", "Sound", "Script"):
        assert told in words


def test_maps_of_physical_materials_are_gltfs() -> None:
    """X3D 4 has them as glTF does: occlusion in red, roughness in green, metal in blue."""
    maps = " ".join(
        f'{field} ImageTexture {{ url "{field}.png" }}'
        for field in ("baseTexture", "normalTexture", "occlusionTexture", "metallicRoughnessTexture", "emissiveTexture")
    )
    world = f"Shape {{ appearance Appearance {{ material PhysicalMaterial {{ {maps} roughness .5 }} }} geometry Box {{ }} }}"
    [material] = opened(f"#X3D V4.0 utf8\n{world}", "world.x3dv").scene.materials
    slots = ("base_color", "normal", "occlusion", "metallic_roughness", "emissive")
    assert [slot for slot in slots if getattr(material, f"{slot}_texture") is None] == []
    assert (material.roughness, material.metallic) == (0.5, 1.0)


RAMP = [(0.0, (0.9, 0.2, 0.1)), (0.25, (0.2, 0.9, 0.1)), (0.5, (0.5, 0.5, 0.5)), (1.0, (0.1, 0.1, 0.8))]


def hue_between(share: float) -> list[float]:
    """Between two keys by Python's own colorsys, around the shorter side of the circle."""
    place = max(k for k, (at, _) in enumerate(RAMP) if at <= share)
    (a, one), (b, other) = RAMP[place], RAMP[min(place + 1, len(RAMP) - 1)]
    part = 0.0 if a == b else (share - a) / (b - a)
    (h, s, v), (i, t, w) = colorsys.rgb_to_hsv(*one), colorsys.rgb_to_hsv(*other)
    h, i = (i, i) if s == 0 else (h, h) if t == 0 else (h, i)
    way = i - h - round(i - h)
    return list(colorsys.hsv_to_rgb((h + way * part) % 1, s + (t - s) * part, v + (w - v) * part))


def test_interpolated_materials_are_clips_of_looks() -> None:
    keys, colors = (
        ", ".join(str(x) for x in row) for row in ([at for at, _ in RAMP], [c for _, rgb in RAMP for c in rgb])
    )
    world = f"""{VRML}Shape {{ appearance Appearance {{ material DEF Paint Material {{ diffuseColor 1 1 1 transparency 0 }} }}
    geometry Box {{ }} }}
    DEF Clock TimeSensor {{ cycleInterval 4 }}
    DEF Glow ColorInterpolator {{ key [ {keys} ] keyValue [ {colors} ] }}
    DEF Fade ScalarInterpolator {{ key [ 0, 1 ] keyValue [ 0, 0.75 ] }}
    DEF Shine ScalarInterpolator {{ key [ 0, 1 ] keyValue [ 0, 1 ] }}
    DEF Place Transform {{ }}
    ROUTE Clock.fraction_changed TO Glow.set_fraction
    ROUTE Clock.fraction_changed TO Fade.set_fraction
    ROUTE Clock.fraction_changed TO Shine.set_fraction
    ROUTE Glow.value_changed TO Paint.set_diffuseColor
    ROUTE Fade.value_changed TO Paint.transparency
    ROUTE Shine.value_changed TO Paint.set_shininess
    ROUTE Glow.value_changed TO Place.set_rotation
    ROUTE Fade.value_changed TO Place.set_translation
    ROUTE Fade.value_changed TO Paint.set_diffuseColor
    """
    scene = opened(world).scene
    assert any("3 routes that move no placement" in note for note in scene.notes), "they have other numbers of numbers"
    [clip] = scene.clips
    assert (clip.name, clip.channels) == ("Clock", ())
    assert {look.path for look in clip.looks} == {"base_color", "roughness"}
    assert scene.materials[clip.looks[0].material].alpha_mode == "BLEND"
    for share in np.linspace(0, 1, 41):
        seen = looking(scene, clip, 4 * float(share)).materials[clip.looks[0].material]
        expected = linear_from_srgb(np.array(hue_between(float(share))))
        np.testing.assert_allclose(seen.base_color[:3], expected, atol=4e-3)
        assert seen.base_color[3] == pytest.approx(1 - 0.75 * share, abs=1e-3)
        assert seen.roughness == pytest.approx(1 - np.sqrt(share), abs=1e-2)
