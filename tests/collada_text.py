"""A scene as a COLLADA document, by plain code that shares nothing with the reader."""

from __future__ import annotations

from xml.sax.saxutils import escape, quoteattr

import numpy as np

from pruxel.core.geometry.skinning import value_at
from pruxel.core.scene.model import Clip, Mesh, Node, Primitive, Scene
from pruxel.core.scene.walk import local_matrix, parents_of


def _numbers(values: object) -> str:
    return " ".join(repr(float(v)) for v in np.asarray(values, np.float64).reshape(-1))


def _source(key: str, values: np.ndarray, names: str) -> str:
    rows = np.asarray(values, np.float64).reshape(len(values), -1)
    params = "".join(f'<param name="{name}" type="float"/>' for name in names[: rows.shape[1]])
    if rows.shape[1] == 16:
        params = '<param name="TRANSFORM" type="float4x4"/>'
    return (
        f'<source id="{key}"><float_array id="{key}-a" count="{rows.size}">{_numbers(rows)}</float_array>'
        f'<technique_common><accessor source="#{key}-a" count="{len(rows)}" stride="{rows.shape[1]}">{params}'
        f"</accessor></technique_common></source>"
    )


def _words(key: str, words: list[str], kind: str = "Name") -> str:
    return (
        f'<source id="{key}"><{kind}_array id="{key}-a" count="{len(words)}">{" ".join(words)}</{kind}_array>'
        f'<technique_common><accessor source="#{key}-a" count="{len(words)}" stride="1">'
        f'<param name="X" type="{kind.lower()}"/></accessor></technique_common></source>'
    )


def _shown(linear: np.ndarray) -> np.ndarray:
    low, high = linear * 12.92, 1.055 * np.maximum(linear, 1e-9) ** (1 / 2.4) - 0.055
    return np.where(linear <= 0.0031308, low, high)


def _geometry(number: int, mesh: Mesh, moved: np.ndarray | None = None) -> str:
    """All primitives over one list of points; every list has an offset of its own."""
    key = f"g{number}" if moved is None else f"g{number}t"
    points = np.concatenate([p.positions for p in mesh.primitives])
    points = points if moved is None else points + moved
    sources = [_source(f"{key}-p", points, "XYZ")]
    faces = []
    first = 0
    for k, one in enumerate(mesh.primitives):
        assert one.normals is not None
        sources.append(_source(f"{key}-n{k}", one.normals, "XYZ"))
        inputs = [f'<input semantic="VERTEX" source="#{key}-v" offset="0"/>']
        inputs.append(f'<input semantic="NORMAL" source="#{key}-n{k}" offset="1"/>')
        columns = [one.indices.reshape(-1) + first, one.indices.reshape(-1)]
        for number_of_set, uv in enumerate(one.uvs):
            flipped = np.stack([uv[:, 0], 1 - uv[:, 1].astype(np.float64)], axis=1)
            sources.append(_source(f"{key}-u{k}-{number_of_set}", flipped, "ST"))
            inputs.append(
                f'<input semantic="TEXCOORD" source="#{key}-u{k}-{number_of_set}" offset="{len(columns)}"'
                f' set="{number_of_set + 3}"/>'
            )
            columns.append(one.indices.reshape(-1))
        for color in one.colors:
            shown = np.concatenate([_shown(color[:, :3].astype(np.float64)), color[:, 3:]], axis=1)
            sources.append(_source(f"{key}-c{k}", shown, "RGBA"))
            inputs.append(f'<input semantic="COLOR" source="#{key}-c{k}" offset="{len(columns)}" set="0"/>')
            columns.append(one.indices.reshape(-1))
        listed = " ".join(map(str, np.stack(columns, axis=1).reshape(-1).tolist()))
        counts = " ".join("3" for _ in one.indices)
        faces.append(
            f'<polylist material="m{one.material}" count="{len(one.indices)}">{"".join(inputs)}'
            f"<vcount>{counts}</vcount><p>{listed}</p></polylist>"
        )
        first += len(one.positions)
    vertices = f'<vertices id="{key}-v"><input semantic="POSITION" source="#{key}-p"/></vertices>'
    name = quoteattr(mesh.name if moved is None else mesh.primitives[0].targets[0].name)
    return f'<geometry id="{key}" name={name}><mesh>{"".join(sources)}{vertices}{"".join(faces)}</mesh></geometry>'


def _controllers(scene: Scene, number: int, mesh: Mesh, skin: int) -> str:
    """A morph over the geometry, and a skin over the morph."""
    found = ""
    below = f"g{number}"
    targets = mesh.primitives[0].targets
    if targets:
        weights = np.array(mesh.target_weights or [0.0] * len(targets))
        found += (
            f'<controller id="mo{number}"><morph source="#g{number}" method="NORMALIZED">'
            f"{_words(f'mo{number}-t', [f'g{number}t'], 'IDREF')}{_source(f'mo{number}-w', weights[:, None], 'W')}"
            f'<targets><input semantic="MORPH_TARGET" source="#mo{number}-t"/>'
            f'<input semantic="MORPH_WEIGHT" source="#mo{number}-w"/></targets></morph></controller>'
        )
        below = f"mo{number}"
    own = scene.skins[skin]
    joints = np.concatenate([p.joints for p in mesh.primitives])  # type: ignore[arg-type]
    weights = np.concatenate([p.weights for p in mesh.primitives])  # type: ignore[arg-type]
    pairs = np.stack([joints.reshape(-1).astype(np.int64), np.arange(joints.size)], axis=1)
    key = f"sk{number}"
    return found + (
        f'<controller id="{key}"><skin source="#{below}">'
        f"<bind_shape_matrix>{_numbers(np.eye(4))}</bind_shape_matrix>"
        f"{_words(f'{key}-j', [f'j{joint}' for joint in own.joints])}"
        f"{_source(f'{key}-b', own.inverse_bind.reshape(-1, 16), '')}{_source(f'{key}-w', weights.reshape(-1, 1), 'W')}"
        f'<joints><input semantic="JOINT" source="#{key}-j"/><input semantic="INV_BIND_MATRIX" source="#{key}-b"/>'
        f'</joints><vertex_weights count="{len(joints)}"><input semantic="JOINT" source="#{key}-j" offset="0"/>'
        f'<input semantic="WEIGHT" source="#{key}-w" offset="1"/>'
        f"<vcount>{' '.join(str(joints.shape[1]) for _ in joints)}</vcount>"
        f"<v>{' '.join(map(str, pairs.reshape(-1).tolist()))}</v></vertex_weights></skin></controller>"
    )


def _node(scene: Scene, number: int) -> str:
    node: Node = scene.nodes[number]
    inside = "".join(_node(scene, child) for child in node.children)
    if node.mesh is not None:
        mesh = scene.meshes[node.mesh]
        kind, url = ("geometry", f"g{node.mesh}") if node.skin is None else ("controller", f"sk{node.mesh}")
        used = sorted({p.material for p in mesh.primitives if p.material is not None})
        bound = "".join(
            f'<instance_material symbol="m{m}" target="#material{m}"><bind_vertex_input semantic="UVS"'
            f' input_semantic="TEXCOORD" input_set="3"/></instance_material>'
            for m in used
        )
        inside += (
            f'<instance_{kind} url="#{url}"><bind_material><technique_common>{bound}</technique_common>'
            f"</bind_material></instance_{kind}>"
        )
    if node.camera is not None:
        inside += f'<instance_camera url="#camera{node.camera}"/>'
    if node.light is not None:
        inside += f'<instance_light url="#light{node.light}"/>'
    matrix = f'<matrix sid="transform">{_numbers(local_matrix(node))}</matrix>'
    return f'<node id="n{number}" sid="j{number}" name={quoteattr(node.name)}>{matrix}{inside}</node>'


def _animation(scene: Scene, number: int, clip: Clip) -> tuple[str, str]:
    """Matrices of nodes at every key of theirs, shares of shapes as they are; and the clip that names them."""
    found = []
    for node in sorted({c.node for c in clip.channels if c.path != "weights"}):
        times = np.unique(np.concatenate([c.times for c in clip.channels if c.node == node]))
        rows = []
        for time in times.tolist():
            own = scene.nodes[node]
            values = {
                c.path: value_at(c.times, c.values, time, "LINEAR", turn=c.path == "rotation")
                for c in clip.channels
                if c.node == node
            }
            posed = Node(
                own.name,
                translation=tuple(values.get("translation", own.translation)),
                rotation=tuple(values.get("rotation", own.rotation)),
                scale=tuple(values.get("scale", own.scale)),
            )
            rows.append(local_matrix(posed).reshape(-1))
        found.append((f"n{node}/transform", times, np.stack(rows)))
    for channel in clip.channels:
        if channel.path == "weights":
            mesh = scene.nodes[channel.node].mesh
            found.append((f"mo{mesh}-w(0)", channel.times, channel.values[:, :1]))
    texts = []
    for k, (target, times, values) in enumerate(found):
        key = f"a{number}-{k}"
        texts.append(
            f'<animation id="{key}">{_source(f"{key}-i", times[:, None], "T")}{_source(f"{key}-o", values, "V")}'
            f"{_words(f'{key}-k', ['LINEAR'] * len(times))}"
            f'<sampler id="{key}-s"><input semantic="INPUT" source="#{key}-i"/><input semantic="OUTPUT" '
            f'source="#{key}-o"/><input semantic="INTERPOLATION" source="#{key}-k"/></sampler>'
            f'<channel source="#{key}-s" target="{target}"/></animation>'
        )
    listed = "".join(f'<instance_animation url="#a{number}-{k}"/>' for k in range(len(found)))
    return "".join(texts), f"<animation_clip name={quoteattr(clip.name)}>{listed}</animation_clip>"


def _effect(scene: Scene, number: int) -> str:
    material = scene.materials[number]
    image = None if material.base_color_texture is None else scene.textures[material.base_color_texture.texture].image
    if image is None:
        diffuse = f"<color>{_numbers(material.base_color)}</color>"
        params = ""
    else:
        diffuse = '<texture texture="sampler" texcoord="UVS"/>'
        params = (
            f'<newparam sid="surface"><surface type="2D"><init_from>image{image}</init_from></surface></newparam>'
            '<newparam sid="sampler"><sampler2D><source>surface</source></sampler2D></newparam>'
        )
    return (
        f'<effect id="effect{number}"><profile_COMMON>{params}<technique sid="common"><phong><diffuse>{diffuse}'
        f"</diffuse></phong></technique></profile_COMMON></effect>"
    )


def collada_text(scene: Scene, asset: str = '<unit meter="1"/><up_axis>Y_UP</up_axis>') -> str:
    """The document; pictures are named `<name>.png`."""
    skinned = {n.mesh: n.skin for n in scene.nodes if n.mesh is not None and n.skin is not None}
    assert all(above < len(scene.nodes) for above in parents_of(scene))
    geometries, controllers = [], []
    for number, mesh in enumerate(scene.meshes):
        geometries.append(_geometry(number, mesh))
        first: Primitive = mesh.primitives[0]
        if first.targets:
            moved = np.concatenate([p.targets[0].positions for p in mesh.primitives])  # type: ignore[misc]
            geometries.append(_geometry(number, mesh, moved))
        if number in skinned:
            controllers.append(_controllers(scene, number, mesh, skinned[number]))
    moving = [_animation(scene, number, clip) for number, clip in enumerate(scene.clips)]
    images = "".join(
        f'<image id="image{k}"><init_from>{escape(i.name)}.png</init_from></image>' for k, i in enumerate(scene.images)
    )
    cameras = "".join(
        f'<camera id="camera{k}" name={quoteattr(c.name)}><optics><technique_common><perspective><yfov>'
        f"{np.degrees(c.yfov_rad or 1)}</yfov><znear>{c.near}</znear></perspective></technique_common></optics></camera>"
        for k, c in enumerate(scene.cameras)
    )
    lights = "".join(
        f'<light id="light{k}" name={quoteattr(one.name)}><technique_common><spot><color>'
        f"{_numbers(np.array(one.color) * one.intensity)}</color><falloff_angle>"
        f"{np.degrees(one.outer_cone_rad) * 2}</falloff_angle></spot></technique_common></light>"
        for k, one in enumerate(scene.lights)
    )
    materials = "".join(
        f'<material id="material{k}" name={quoteattr(m.name)}><instance_effect url="#effect{k}"/></material>'
        for k, m in enumerate(scene.materials)
    )
    return (
        '<?xml version="1.0" encoding="utf-8"?><COLLADA xmlns="http://www.collada.org/2005/11/COLLADASchema" '
        f'version="1.4.1"><asset>{asset}</asset><library_images>{images}</library_images>'
        f"<library_cameras>{cameras}</library_cameras><library_lights>{lights}</library_lights>"
        f"<library_effects>{''.join(_effect(scene, k) for k in range(len(scene.materials)))}</library_effects>"
        f"<library_materials>{materials}</library_materials><library_geometries>{''.join(geometries)}"
        f"</library_geometries><library_controllers>{''.join(controllers)}</library_controllers>"
        f"<library_animations>{''.join(text for text, _ in moving)}</library_animations>"
        f"<library_animation_clips>{''.join(clip for _, clip in moving)}</library_animation_clips>"
        f'<library_visual_scenes><visual_scene id="scene">{"".join(_node(scene, root) for root in scene.roots)}'
        '</visual_scene></library_visual_scenes><scene><instance_visual_scene url="#scene"/></scene></COLLADA>'
    )
