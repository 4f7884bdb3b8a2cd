"""Documents with the habits of other writers: odd values, many materials, translators, definitions, old versions."""

from __future__ import annotations

HEAD = 'version="1.39"'
COLOUR = '<input name="base_color" type="color3" value="0.5, 0.2, 0.1"/>'


def document(body: str, head: str = HEAD) -> str:
    return f'<?xml version="1.0" encoding="UTF-8"?>\n<materialx {head}>\n{body}\n</materialx>\n'


def material(name: str, inputs: str, attributes: str = "") -> str:
    """A surface with its material."""
    return (
        f'<open_pbr_surface name="SR_{name}" type="surfaceshader"{attributes}>{inputs}</open_pbr_surface>\n'
        f'<surfacematerial name="{name}" type="material">'
        f'<input name="surfaceshader" type="surfaceshader" nodename="SR_{name}"/></surfacematerial>\n'
    )


def graph(inside: str, kind: str, source: str, attributes: str = "") -> str:
    """A graph NG with one output `out`."""
    return (
        f'<nodegraph name="NG"{attributes}>{inside}<output name="out" type="{kind}" nodename="{source}"/></nodegraph>'
    )


def woods(count: int) -> str:
    """Materials that share a graph, in three folders of the standard."""
    shared = graph('<constant name="c" type="color3"><input name="value" type="color3" value="0.3, 0.2, 0.1"/></constant>',
                   "color3", "c")  # fmt: skip
    folders = ("oak", "ash", "elm")
    return shared + "".join(
        material(
            f"wood_{number:03d}",
            '<input name="base_color" type="color3" nodegraph="NG" output="out"/>'
            f'<input name="specular_roughness" type="float" value="{0.2 + number / 200:.3f}"/>',
            f' uifolder="woods/{folders[number % 3]}"',
        )
        for number in range(count)
    )


OWN = (
    '<nodedef name="ND_warm" node="warm" nodegroup="adjustment"><input name="in" type="color3" value="0, 0, 0"/>'
    '<input name="heat" type="float" value="0.2" uimin="0"/><output name="out" type="color3"/></nodedef>'
    '<nodegraph name="NG_warm" nodedef="ND_warm"><multiply name="m" type="color3">'
    '<input name="in1" type="color3" interfacename="in"/><input name="in2" type="float" interfacename="heat"/>'
    '</multiply><output name="out" type="color3" nodename="m"/></nodegraph>'
    '<warm name="w" type="color3"><input name="in" type="color3" value="1, 0.5, 0.2"/></warm>'
)

OTHERS = (
    '<look name="L"><materialassign name="ma" material="tin" geom="/a"/></look>'
    '<standard_surface name="SS" type="surfaceshader">' + COLOUR + "</standard_surface>"
    '<surfacematerial name="tin_ss" type="material">'
    '<input name="surfaceshader" type="surfaceshader" nodename="SS"/></surfacematerial>'
    '<UsdPreviewSurface name="UP" type="surfaceshader">'
    '<input name="diffuseColor" type="color3" value="0.5, 0.2, 0.1"/></UsdPreviewSurface>'
    '<surfacematerial name="tin_up" type="material">'
    '<input name="surfaceshader" type="surfaceshader" nodename="UP"/></surfacematerial>'
)

UNKNOWN = (
    '<shaderfarm name="sf" speed="9"><slot name="a" n="3"/></shaderfarm>'
    '<propertyset name="ps"><property name="p" type="string" value="x"/></propertyset>'
    '<mystery name="m1" type="tweed"><input name="in" type="tweed" value="a b"/></mystery>'
)

OLD = """<?xml version="1.0"?>
<materialx version="1.36" colorspace="lin_rec709">
  <nodegraph name="NG">
    <constant name="i" type="color3"><parameter name="value" type="color3" value="0.4, 0.2, 0.1"/></constant>
    <output name="o" type="color3" nodename="i"/>
  </nodegraph>
  <material name="Mat">
    <shaderref name="SR" node="standard_surface">
      <bindinput name="base_color" type="color3" nodegraph="NG" output="o"/>
      <bindinput name="specular_roughness" type="float" value="0.6"/>
    </shaderref>
  </material>
</materialx>
"""

WRITTEN_BY_HAND = (
    "<?xml version='1.0' encoding='utf-8'?>\n<!-- made by a tool -->\n"
    "<materialx version='1.39' namespace='shed' fileprefix='tex/' xmlns:xi='http://www.w3.org/2001/XInclude'>"
    "<!-- inside -->"
    + graph(
        '<tiledimage name="t" type="color3">'
        '<input name="file" type="filename" value="clay.png" colorspace="srgb_texture"/>'
        '<input name="realworldimagesize" type="vector2" value="20, 20" unit="centimeter" unittype="distance"/>'
        "</tiledimage>",
        "color3",
        "t",
        ' fileprefix="pots/"',
    )
    + material("pot", '<input name="base_color" type="color3" nodegraph="NG" output="out"/>')
    + "</materialx>\n"
)

DOCUMENTS = {
    "three numbers for one": document(
        material("clay", COLOUR + '<input name="specular_roughness" type="float" value="0.3, 0.3, 0.3"/>')
    ),
    "an empty whole number": document(
        graph(
            '<fractal3d name="f" type="float"><input name="octaves" type="integer" value=""/></fractal3d>', "float", "f"
        )
        + material("moss", COLOUR + '<input name="specular_roughness" type="float" nodegraph="NG" output="out"/>')
    ),
    "a number with a unit": document(
        material("lead", COLOUR + '<input name="subsurface_radius" type="float" value="2.5 cm"/>')
    ),
    "a word for yes": document(
        material("slip", COLOUR + '<input name="geometry_thin_walled" type="boolean" value="yes"/>')
    ),
    "no type": document(material("rope", '<input name="base_color" value="0.5, 0.2, 0.1"/>')),
    "unknown things": document(
        UNKNOWN + material("twine", COLOUR + '<input name="woolliness" type="float" value="0.4"/>', ' shop="potting"')
    ),
    "a later version": document(material("zinc", COLOUR), 'version="1.41" colorspace="lin_rec709" made_by="later"'),
    "an old version": OLD,
    "translators beside": document(material("tin", COLOUR) + OTHERS),
    "definitions inside": document(OWN + material("ember", '<input name="base_color" type="color3" nodename="w"/>')),
    "comments, units, namespaces, prefixes": WRITTEN_BY_HAND,
    "many materials": document(woods(110)),
}

REMARKS = {
    "three numbers for one": ("SR_clay", "specular_roughness", "0.3, 0.3, 0.3"),
    "an empty whole number": ("f", "octaves", ""),
    "a number with a unit": ("SR_lead", "subsurface_radius", "2.5 cm"),
    "a word for yes": ("SR_slip", "geometry_thin_walled", "yes"),
    "comments, units, namespaces, prefixes": ("t", "clay.png", ""),
}
"""Where the one remark about a document belongs: the card, and what it is about and quotes."""
