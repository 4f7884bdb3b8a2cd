"""Plain labels of the surface's inputs."""

from __future__ import annotations

from collage.core.nodes.labels import input_label

_SHORT = {
    "base_color": "Base colour",
    "base_metalness": "Metalness",
    "base_diffuse_roughness": "Diffuse roughness",
    "specular_roughness": "Roughness",
    "specular_ior": "Index of refraction",
    "coat_ior": "Coat index",
    "geometry_normal": "Normal",
    "geometry_coat_normal": "Coat normal",
    "geometry_tangent": "Tangent",
    "geometry_coat_tangent": "Coat tangent",
    "geometry_opacity": "Opacity",
    "emission_luminance": "Emission",
    "emission_color": "Emission colour",
}


def channel_label(name: str, folder: str = "") -> str:
    """A plain label of a surface input; the group's own word is left out where the group is shown."""
    if name in _SHORT:
        return _SHORT[name]
    text = input_label(name)
    if folder and text.lower().startswith(folder.lower() + " "):
        text = text[len(folder) + 1 :]
    return text[:1].upper() + text[1:]
