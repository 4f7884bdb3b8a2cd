"""The words that people put into the names of maps, and how sure each of them is.

A word stands here in lower case, without accents and without separators, so that “Base Color”, “base-colour” and
“baseColor” all come down to one entry. The numbers are how much a name with that word at its end says, 0 to 1.
"""

from __future__ import annotations

from typing import Literal

Role = Literal[
    "base_color",
    "specular_roughness",
    "gloss",
    "base_metalness",
    "specular_color",
    "normal",
    "height",
    "occlusion",
    "opacity",
    "emission_color",
    "packed",
    "other",
]

ROLES: dict[Role, str] = {
    "base_color": "Base colour",
    "specular_roughness": "Roughness",
    "gloss": "Gloss",
    "base_metalness": "Metalness",
    "specular_color": "Specular colour",
    "normal": "Normal",
    "height": "Height",
    "occlusion": "Ambient occlusion",
    "opacity": "Opacity",
    "emission_color": "Emission",
    "packed": "Packed",
    "other": "Other",
}
"""Every role with the label that the window shows."""

COLOURS: frozenset[Role] = frozenset({"base_color", "specular_color", "emission_color"})
"""Roles whose maps are colours; all others are plain numbers."""

SURE, LIKELY, UNSURE = 0.95, 0.8, 0.55

_BY_ROLE: dict[Role, dict[float, str]] = {
    "base_color": {
        SURE: """albedo basecolor basecolour albedocolor diffuse diffusecolor diffusecolour color colour basecol basecolr
            grundfarbe basisfarbe couleurdebase couleurbase colorebase coloredibase colordebase colorbase corbase diffus diffuso difuso difusa albedomap
            diffusione farbe couleur colore kleur farve kolor barva diffusealbedo цвет 颜色 漫反射 基础色 カラー
            ベースカラー""",
        LIKELY: "col clr diff dif alb albd bcol basec diffcol bc cor farg base renk szin",
        UNSURE: "rgb df al co",
    },
    "specular_roughness": {
        SURE: """roughness rough specularroughness rougness roughnes rauheit rauigkeit rauhigkeit rugosite rugosidad
            rugosita ruvidita ruwheid rugosidade szorstkosc drsnost шероховатость 粗糙度 ラフネス""",
        LIKELY: "rgh rou specrough rghness rug",
        UNSURE: "ro rg",
    },
    "gloss": {
        SURE: "gloss glossiness smoothness glossines microsurface glanz glanzgrad brillance glatte glaette lucentezza smoothnes",
        LIKELY: "gls smooth smth glos shininess brillo glans shine glossy",
        UNSURE: "gl sm",
    },
    "base_metalness": {
        SURE: """metalness metallic metallness metalic metallisch metallique metalico metallico metallizitat metalik
            metallizitaet basemetalness металличность 金属度 メタリック""",
        LIKELY: "metal mtl met metl mtlc metall metallo",
        UNSURE: "mt",
    },
    "specular_color": {
        SURE: """specular specularcolor specularcolour speccolor speccol speculaire especular speculare spekular
            specularlevel speclevel specularity reflectivity reflexion""",
        LIKELY: "spec spc reflection refl reflect",
        UNSURE: "sp rfl",
    },
    "normal": {
        SURE: """normal normals normale normalen normales normaal tangentnormal normalmap нормаль нормали 法线 ノーマル
            geometrynormal normalna normalova normali normaltangent normaltangentspace normaltexture""",
        LIKELY: "nrm norm nor nml nrml nmap nmp tsn nm nrlm",
        UNSURE: "no",
    },
    "height": {
        SURE: """height displacement heightmap bump bumpmap displace hoehe hauteur altura altezza hoogte displacementmap
            verschiebung deplacement desplazamiento spostamento parallax vyska wysokosc высота 高度 ハイト""",
        LIKELY: "disp hgt dsp displ dspl hght hmap bmp hohe relief elevation dpl",
        UNSURE: "depth ht dp bp hm dis bm",
    },
    "occlusion": {
        SURE: """ao occlusion ambientocclusion ambientocc ambocc oclusion ambientoclusion oclusionambiental occlusionambiante mixedao
            umgebungsverdeckung verdeckung occlusione occlusionambientale 环境光遮蔽 アンビエントオクルージョン""",
        LIKELY: "occ occl ambient aocc",
        UNSURE: "amb oc",
    },
    "opacity": {
        SURE: """opacity alpha transparency opacite opacidad opacita transparenz transparence deckkraft opacitymask
            alphamask cutout прозрачность 透明度""",
        LIKELY: "opac opa alfa transp opc coverage",
        UNSURE: "op cut trans mask",
    },
    "emission_color": {
        SURE: """emission emissive emissioncolor emissivecolor emissioncolour selfillumination emissione emisivo emisiva
            emisive emissif emissivo leuchten leuchtkraft 自发光 свечение""",
        LIKELY: "emit emis emiss ems glow selfillum illum emm incandescence emi",
        UNSURE: "em luminous",
    },
    "other": {
        SURE: """curvature thickness cavity subsurface scattering translucency transmission sheen fuzz anisotropy
            clearcoat vectordisplacement idmap matid colorid lightmap wireframe scatteringcolor""",
        LIKELY: "sss curv aniso coat ior vdisp vdm flow flowmap id ids",
        UNSURE: "position uv",
    },
}

WORDS: dict[str, tuple[Role, float]] = {
    word: (role, sure) for role, lists in _BY_ROLE.items() for sure, words in lists.items() for word in words.split()
}

LETTERS: dict[str, tuple[tuple[Role, float], ...]] = {
    "a": (("base_color", 0.5), ("occlusion", 0.4), ("opacity", 0.35)),
    "b": (("base_color", 0.45), ("height", 0.4)),
    "c": (("base_color", 0.6),),
    "d": (("base_color", 0.6), ("height", 0.45)),
    "e": (("emission_color", 0.6),),
    "g": (("gloss", 0.6),),
    "h": (("height", 0.6),),
    "m": (("base_metalness", 0.6), ("opacity", 0.4)),
    "n": (("normal", 0.65),),
    "o": (("occlusion", 0.5), ("opacity", 0.45)),
    "r": (("specular_roughness", 0.6),),
    "s": (("specular_color", 0.5), ("gloss", 0.45)),
}
"""A single letter at the end of a name, with what it may stand for; the pictures decide between them."""

Channels = tuple[tuple[str, Role], ...]
_METAL_ROUGH: Channels = (("g", "specular_roughness"), ("b", "base_metalness"))

_OTHERS: tuple[tuple[str, Role], ...] = (
    ("smoothness", "gloss"),
    ("gloss", "gloss"),
    ("roughness", "specular_roughness"),
)

PACKED: dict[str, tuple[Channels, float]] = {
    "metallicroughness": (_METAL_ROUGH, 0.8),
    "metalroughness": (_METAL_ROUGH, 0.75),
    "metalrough": (_METAL_ROUGH, 0.7),
    "metalnessroughness": (_METAL_ROUGH, 0.75),
    "roughnessmetallic": (_METAL_ROUGH, 0.75),
    "roughmetal": (_METAL_ROUGH, 0.7),
    "roughnessmetalness": (_METAL_ROUGH, 0.75),
    "mr": (_METAL_ROUGH, 0.5),
    "metallicsmoothness": ((("r", "base_metalness"), ("a", "gloss")), 0.9),
    "metalsmooth": ((("r", "base_metalness"), ("a", "gloss")), 0.8),
    "metallicgloss": ((("r", "base_metalness"), ("a", "gloss")), 0.85),
    "metalgloss": ((("r", "base_metalness"), ("a", "gloss")), 0.8),
    "specularsmoothness": ((("rgb", "specular_color"), ("a", "gloss")), 0.9),
    "specularglossiness": ((("rgb", "specular_color"), ("a", "gloss")), 0.9),
    "speculargloss": ((("rgb", "specular_color"), ("a", "gloss")), 0.9),
    "specgloss": ((("rgb", "specular_color"), ("a", "gloss")), 0.85),
    "maskmap": ((("r", "base_metalness"), ("g", "occlusion"), ("b", "other"), ("a", "gloss")), 0.8),
    "mads": ((("r", "base_metalness"), ("g", "occlusion"), ("b", "other"), ("a", "gloss")), 0.75),
    "mods": ((("r", "base_metalness"), ("g", "occlusion"), ("b", "other"), ("a", "gloss")), 0.75),
    "normalheight": ((("rgb", "normal"), ("a", "height")), 0.85),
    "normaldisplacement": ((("rgb", "normal"), ("a", "height")), 0.8),
    "normalroughness": ((("rgb", "normal"), ("a", "specular_roughness")), 0.7),
    "normalgloss": ((("rgb", "normal"), ("a", "gloss")), 0.75),
    **{
        f"{colour}{clear}": ((("rgb", "base_color"), ("a", "opacity")), 0.9)
        for colour in ("albedo", "diffuse", "color", "colour", "basecolor", "basecolour", "diff", "col")
        for clear in ("transparency", "alpha", "opacity")
    },
    **{
        f"{colour}{rough}": ((("rgb", "base_color"), ("a", role)), 0.7)
        for colour in ("albedo", "diffuse", "basecolor")
        for rough, role in _OTHERS
    },
}
"""Names of packed maps, and which channel holds what."""

LAYOUTS: dict[str, Channels] = {
    "Occlusion, roughness, metalness": (("r", "occlusion"), ("g", "specular_roughness"), ("b", "base_metalness")),
    "Roughness, metalness, occlusion": (("r", "specular_roughness"), ("g", "base_metalness"), ("b", "occlusion")),
    "Metalness, roughness, occlusion": (("r", "base_metalness"), ("g", "specular_roughness"), ("b", "occlusion")),
    "Roughness in green, metalness in blue": _METAL_ROUGH,
    "Occlusion, roughness, height": (("r", "occlusion"), ("g", "specular_roughness"), ("b", "height")),
    "Metalness, gloss in alpha": (("r", "base_metalness"), ("a", "gloss")),
    "Metalness, occlusion, gloss in alpha": (("r", "base_metalness"), ("g", "occlusion"), ("a", "gloss")),
    "Specular colour, gloss in alpha": (("rgb", "specular_color"), ("a", "gloss")),
    "Base colour, opacity in alpha": (("rgb", "base_color"), ("a", "opacity")),
    "Normal, height in alpha": (("rgb", "normal"), ("a", "height")),
}
"""Ways to pack maps that can be chosen; the first is what a packed map is taken as when nothing tells."""

PACKED_LETTERS: dict[str, Role] = {
    "o": "occlusion",
    "a": "occlusion",
    "r": "specular_roughness",
    "m": "base_metalness",
    "g": "gloss",
    "s": "gloss",
    "h": "height",
    "d": "height",
}
USUAL_PACKS = {"orm", "arm", "rma", "mra", "mro", "ord", "orh", "rmo", "ormh", "armh", "rmoh", "mroh", "mraod"}

FILLERS = {"map", "maps", "tex", "texture", "textures", "image", "img", "pass", "channel", "txt", "mapa", "karte"}
PREFIXES = {"t", "tx", "tex"}
"""What stands before a name to say that it is a texture."""

GREEN_UP = {"gl", "ogl", "opengl", "yup", "yplus"}
GREEN_DOWN = {"dx", "directx", "d3d", "ydown", "yminus", "dx11", "dx12"}
SPACES = {"srgb", "linear", "lin", "raw", "acescg", "aces", "noncolor", "noncolour", "nonlinear", "rec709", "utility"}
SPACE_WORDS = {
    "srgb": "srgb_texture", "acescg": "acescg", "linear": "lin_rec709", "lin": "lin_rec709", "raw": "lin_rec709",
    "rec709": "rec709_display",
}  # fmt: skip
"""What the words for colour spaces mean in the name of a colour map."""
FORMATS = {"png", "jpg", "jpeg", "tga", "tif", "tiff", "exr", "hdr"}
NOTES = {"tiled", "tileable", "tiling", "seamless", "final", "export", "lod0", "copy", "half", "float", "var",
         "variant", "version", "lod1", "lod2", "lod3", "x", "px", "bit", "bits"}  # fmt: skip
SAME_PLACE = FILLERS | FORMATS | {"materials", "material", "surface", "source", "assets"}
"""Folders of these names say nothing about the set: the set is named by the folder around them."""

PREVIEWS = {"preview", "thumb", "thumbnail", "thumbs", "render", "rendered", "sphere", "ball", "swatch", "icon", "cover",
            "screenshot", "screen", "vorschau", "apercu", "promo", "sample", "showcase", "contactsheet", "turntable",
            "beauty", "header", "flyer"}  # fmt: skip
