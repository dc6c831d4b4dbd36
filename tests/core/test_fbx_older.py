"""FBX of versions 6.x, written by hand as their programs write it: text, and the same nodes as bytes."""

from __future__ import annotations

import struct
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from pruxel.core.base.context import Context
from pruxel.core.base.errors import InputError
from pruxel.core.base.limits import Limits
from pruxel.core.formats.fbx.elements import MAGIC, Element
from pruxel.core.formats.fbx.read import read
from pruxel.core.formats.fbx.text import read_text
from pruxel.core.formats.registry import ReadResult, format_for
from pruxel.core.geometry.skinning import value_at
from pruxel.core.images import png
from pruxel.core.scene.digest import digest
from pruxel.core.scene.model import Scene
from pruxel.core.scene.pose import posed, standing

SECOND = 46186158000

DOCUMENT = f"""; FBX 6.1.0 project file
FBXHeaderExtension:  {{
	FBXHeaderVersion: 1003
	FBXVersion: 6100
	Creator: "by hand"
}}
Definitions:  {{
	Version: 100
	Count: 9
}}
Objects:  {{
	Model: "Model::Arm", "Mesh" {{
		Version: 232
		Properties60:  {{
			Property: "Lcl Translation", "Lcl Translation", "A+",0,0,0
			Property: "Lcl Rotation", "Lcl Rotation", "A+",0,0,0
			Property: "Lcl Scaling", "Lcl Scaling", "A+",1,1,1
			Property: "Swollen", "Shape", "A+",25
			Property: "RotationOrder", "enum", "",0
		}}
		MultiLayer: 0
		Shading: T
		Culling: "CullingOff"
		Vertices: 0,-10,0,100,-10,0,200,-10,0,0,10,0,100,10,0,200,10,0
		PolygonVertexIndex: 0,1,4,-4,1,2,-6
,1,5,-5
		GeometryVersion: 124
		LayerElementNormal: 0 {{
			Version: 101
			MappingInformationType: "ByVertice"
			ReferenceInformationType: "Direct"
			Normals: 0,0,1,0,0,1,0,0,1,0,0,1,0,0,1,0,0,1
		}}
		LayerElementUV: 0 {{
			Version: 101
			Name: "first"
			MappingInformationType: "ByPolygonVertex"
			ReferenceInformationType: "IndexToDirect"
			UV: 0,0,0.5,0,1,0,0,1,0.5,1,1,1
			UVIndex: 0,1,4,3,1,2,5,1,5,4
		}}
		LayerElementMaterial: 0 {{
			Version: 101
			MappingInformationType: "ByPolygon"
			ReferenceInformationType: "IndexToDirect"
			Materials: 0,1,1
		}}
		LayerElementTexture: 0 {{
			Version: 101
			MappingInformationType: "ByPolygon"
			ReferenceInformationType: "IndexToDirect"
			BlendMode: "Translucent"
			TextureAlpha: 1
			TextureId: -1,0,0
		}}
		Layer: 0 {{
			Version: 100
			LayerElement:  {{
				Type: "LayerElementNormal"
				TypedIndex: 0
			}}
		}}
		Shape: "Swollen" {{
			Indexes: 2,5
			Vertices: 0,-40,0,0,40,0
			Normals: 0,0,0,0,0,0
		}}
	}}
	Model: "Model::Upper", "LimbNode" {{
		Version: 232
		Properties60:  {{
			Property: "Lcl Translation", "Lcl Translation", "A+",0,0,0
		}}
	}}
	Model: "Model::Lower", "LimbNode" {{
		Version: 232
		Properties60:  {{
			Property: "Lcl Translation", "Lcl Translation", "A+",100,0,0
		}}
	}}
	Model: "Model::Eye", "Camera" {{
		Version: 232
		Properties60:  {{
			Property: "Lcl Translation", "Lcl Translation", "A+",0,0,500
			Property: "FieldOfView", "FieldOfView", "A+",40
			Property: "ApertureMode", "enum", "",2
			Property: "NearPlane", "double", "",10
			Property: "FarPlane", "double", "",4000
		}}
		TypeFlags: "Camera"
		GeometryVersion: 124
		Position: 0,0,500
	}}
	Material: "Material::Skin", "" {{
		Version: 102
		ShadingModel: "lambert"
		Properties60:  {{
			Property: "DiffuseColor", "ColorRGB", "",0.25,0.5,0.75
			Property: "Opacity", "double", "",1
		}}
	}}
	Material: "Material::Cloth", "" {{
		Version: 102
		ShadingModel: "phong"
		Properties60:  {{
			Property: "DiffuseColor", "ColorRGB", "",1,1,1
		}}
	}}
	Texture: "Texture::Weave", "TextureVideoClip" {{
		Type: "TextureVideoClip"
		Version: 202
		Media: "Video::Weave"
		FileName: "C:\\\\made\\\\weave.png"
		RelativeFilename: "weave.png"
	}}
	Video: "Video::Weave", "Clip" {{
		Type: "Clip"
		Filename: "C:\\\\made\\\\weave.png"
		RelativeFilename: "weave.png"
	}}
	Deformer: "Deformer::Skin Arm", "Skin" {{
		Version: 100
		Link_DeformAcuracy: 50
	}}
	Deformer: "SubDeformer::Cluster Upper", "Cluster" {{
		Version: 100
		Indexes: 0,3,1,4
		Weights: 1,1,0.5,0.5
		Transform: 1,0,0,0,0,1,0,0,0,0,1,0,0,0,0,1
		TransformLink: 1,0,0,0,0,1,0,0,0,0,1,0,0,0,0,1
	}}
	Deformer: "SubDeformer::Cluster Lower", "Cluster" {{
		Version: 100
		Indexes: 1,4,2,5
		Weights: 0.5,0.5,1,1
		Transform: 1,0,0,0,0,1,0,0,0,0,1,0,-100,0,0,1
		TransformLink: 1,0,0,0,0,1,0,0,0,0,1,0,100,0,0,1
	}}
	GlobalSettings:  {{
		Version: 1000
		Properties60:  {{
			Property: "UpAxis", "int", "",1
			Property: "UpAxisSign", "int", "",1
			Property: "FrontAxis", "int", "",2
			Property: "FrontAxisSign", "int", "",1
			Property: "CoordAxis", "int", "",0
			Property: "CoordAxisSign", "int", "",1
			Property: "UnitScaleFactor", "double", "",1
		}}
	}}
}}
Connections:  {{
	Connect: "OO", "Model::Arm", "Model::Scene"
	Connect: "OO", "Model::Upper", "Model::Scene"
	Connect: "OO", "Model::Eye", "Model::Scene"
	Connect: "OO", "Model::Lower", "Model::Upper"
	Connect: "OO", "Material::Skin", "Model::Arm"
	Connect: "OO", "Material::Cloth", "Model::Arm"
	Connect: "OO", "Texture::Weave", "Model::Arm"
	Connect: "OO", "Video::Weave", "Texture::Weave"
	Connect: "OO", "Deformer::Skin Arm", "Model::Arm"
	Connect: "OO", "SubDeformer::Cluster Upper", "Deformer::Skin Arm"
	Connect: "OO", "SubDeformer::Cluster Lower", "Deformer::Skin Arm"
	Connect: "OO", "Model::Upper", "SubDeformer::Cluster Upper"
	Connect: "OO", "Model::Lower", "SubDeformer::Cluster Lower"
}}
Takes:  {{
	Current: "Bend"
	Take: "Bend" {{
		FileName: "Bend.tak"
		LocalTime: {SECOND},{3 * SECOND}
		ReferenceTime: {SECOND},{3 * SECOND}
		Model: "Model::Lower" {{
			Version: 1.1
			Channel: "Transform" {{
				Channel: "T" {{
					Channel: "X" {{
						Default: 100
						KeyVer: 4005
						KeyCount: 2
						Key: {SECOND},100,C,s,{3 * SECOND},150,C,n
						Color: 1,0,0
					}}
					Channel: "Y" {{
						Default: 0
						Color: 0,1,0
					}}
					LayerType: 1
				}}
				Channel: "R" {{
					Channel: "Z" {{
						Default: 0
						KeyVer: 4005
						KeyCount: 3
						Key: {SECOND},0,U,s,0,0,n,{2 * SECOND},45,U,a,n,{3 * SECOND},90,L
						Color: 0,0,1
					}}
					LayerType: 2
				}}
			}}
		}}
		Model: "Model::Arm" {{
			Version: 1.1
			Channel: "Swollen" {{
				Default: 25
				KeyVer: 4005
				KeyCount: 2
				Key: {SECOND},0,L,{3 * SECOND},100,L
			}}
			Channel: "Visibility" {{
				Default: 1
			}}
		}}
	}}
}}
"""


def as_bytes(top: list[Element], version: int) -> bytes:
    """The nodes in the binary container, heads of 32 bits; letters stand as single signs, rows of numbers one by one."""

    def value(one: Any) -> bytes:
        if isinstance(one, np.ndarray):
            return b"".join(value(item) for item in one.tolist())
        if isinstance(one, str) and len(one) == 1:
            return b"C" + one.encode()
        if isinstance(one, str):
            kind, mark, name = one.partition("::")
            raw = f"{name}\x00\x01{kind}".encode() if mark else one.encode()
            return b"S" + struct.pack("<I", len(raw)) + raw
        if isinstance(one, int):
            return b"L" + struct.pack("<q", one) if abs(one) >= 2**31 else b"I" + struct.pack("<i", one)
        return b"D" + struct.pack("<d", one)

    def count(one: Any) -> int:
        return one.size if isinstance(one, np.ndarray) else 1

    def node(one: Element, start: int) -> bytes:
        held = b"".join(value(p) for p in one.properties)
        name = one.name.encode()
        body = bytes([len(name)]) + name + held
        end = start + 12 + len(body)
        below = b""
        for child in one.children:
            below += node(child, end + len(below))
        if one.children:
            below += bytes(13)
        return struct.pack("<III", end + len(below), sum(map(count, one.properties)), len(held)) + body + below

    out = MAGIC + struct.pack("<I", version)
    for one in top:
        out += node(one, len(out))
    return out + bytes(13)


def weave(name: str) -> bytes | None:
    return png.encode(np.full((4, 4, 4), 200, np.uint8)) if name == "weave.png" else None


def opened(data: bytes) -> ReadResult:
    return read(memoryview(data), "arm.fbx", weave, Context())


def corners(scene: Scene) -> dict[str, set[tuple[float, float]]]:
    """Where the corners of each material's faces stand, x and y in metres."""
    [(_, _, mesh)] = standing(scene)
    named = {scene.materials[p.material].name: p for p in mesh.primitives if p.material is not None}
    return {
        name: {(round(float(x), 4), round(float(y), 4)) for x, y, _ in p.positions[np.unique(p.indices)]}
        for name, p in named.items()
    }


def check(scene: Scene) -> None:
    """What the document says, in metres."""
    by_name = {node.name: index for index, node in enumerate(scene.nodes)}
    assert by_name["Lower"] in scene.nodes[by_name["Upper"]].children
    [mesh] = scene.meshes
    assert {scene.materials[p.material or 0].name: len(p.indices) for p in mesh.primitives} == {"Skin": 2, "Cloth": 2}
    skin, cloth = scene.materials
    assert (skin.base_color_texture, cloth.base_color_texture is None) == (None, False)
    assert skin.base_color[:3] == pytest.approx((0.25, 0.5, 0.75))
    assert mesh.target_weights == (0.25,)
    assert scene.cameras[0].near == pytest.approx(0.1)
    assert scene.cameras[0].yfov_rad == pytest.approx(np.radians(40))
    assert corners(scene)["Skin"] == {(0, -0.1), (1, -0.1), (1, 0.1), (0, 0.1)}
    assert corners(scene)["Cloth"] == {(1, -0.1), (2, -0.2), (2, 0.2), (1, 0.1)}
    [clip] = scene.clips
    assert (clip.name, max(float(c.times[-1]) for c in clip.channels)) == ("Bend", pytest.approx(2))
    # Half-way the elbow is bent by 45 degrees, has not moved yet, and the end is half swollen.
    turn = np.sqrt(0.5)
    places = [(1 + turn * (1 - y), turn * (1 + y)) for y in (-0.3, 0.3)]
    places += [(1 - y * turn / 2, y * (1 + turn) / 2) for y in (-0.1, 0.1)]
    assert corners(posed(scene, clip, 1.0))["Cloth"] == {(round(x, 4), round(y, 4)) for x, y in places}
    # From the first key to the second it is level at both; at the second it runs on through its neighbours.
    angle = next(c for c in clip.channels if c.path == "rotation")
    for at, degrees in ((0.25, 45 * (3 / 16 - 2 / 64)), (1.5, 0.625 * 45 + 0.5 * 90)):
        z, w = value_at(angle.times, angle.values, at, angle.interpolation, turn=True)[2:]
        assert np.degrees(2 * np.arctan2(z, w)) == pytest.approx(degrees, abs=0.1)
    place = next(c for c in clip.channels if c.path == "translation")
    assert [value_at(place.times, place.values, at, place.interpolation, turn=False)[0] for at in (0, 1.99, 2)] == [
        1,
        1,
        1.5,
    ]


def test_text_and_bytes_say_what_the_document_says() -> None:
    data = DOCUMENT.encode()
    assert format_for("unnamed", data) is format_for("unnamed", as_bytes([], 6100))
    text = opened(data)
    check(text.scene)
    assert text.faults == ()
    top, version = read_text(memoryview(data), "arm.fbx", Limits())
    binary = opened(as_bytes(top, version))
    assert digest(binary.scene) == digest(text.scene)


def test_keys_that_cannot_be_read_keep_those_before_them() -> None:
    result = opened(DOCUMENT.replace(f"{2 * SECOND},45,U,a,n,{3 * SECOND},90,L", "soon, 45, L").encode())
    assert "beyond its key 1" in str(result.faults[0])
    [clip] = result.scene.clips
    assert {channel.path for channel in clip.channels} == {"rotation", "translation", "weights"}


def test_textures_of_models_without_layers_lie_on_all_materials() -> None:
    start, end = DOCUMENT.index("		LayerElementTexture"), DOCUMENT.index("		Layer: 0")
    scene = opened((DOCUMENT[:start] + DOCUMENT[end:]).encode()).scene
    assert all(material.base_color_texture is not None for material in scene.materials)


def test_what_is_older_is_refused_with_its_version() -> None:
    with pytest.raises(InputError, match=r"version 5\.8") as raised:
        opened(DOCUMENT.replace("FBXVersion: 6100", "FBXVersion: 5800").encode())
    assert raised.value.fault.hint


@given(st.data())
def test_lines_left_out_or_doubled_are_no_crash(data: st.DataObject) -> None:
    lines = DOCUMENT.splitlines(keepends=True)
    for _ in range(data.draw(st.integers(1, 6))):
        at = data.draw(st.integers(0, len(lines) - 2))
        lines[at : at + 1] = data.draw(st.sampled_from([[], lines[at : at + 2], ["\tKey: 1,2,U,s\n"], ["\t}}\n"]]))
    try:
        opened("".join(lines).encode())
    except InputError as error:
        assert error.fault.file == "arm.fbx"
