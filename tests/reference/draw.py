"""Draws graphs with the standard's own reference implementation; run under a display by test_reference.py.

The standard's library turns a graph into a shader; this draws that shader on the flat sheet: the unit square in
the plane z = 0, seen straight on, its texture coordinates its positions. Image files are read as 32-bit textures
without smaller levels, so that what is filtered is exact.

Arguments: a size in pixels and a folder of .mtlx files, each with one nodegraph `g`; writes NAME.npz beside
NAME.mtlx, one array per output, row 0 at v = 0. Prints `ready` once the reference could be started.
"""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

import MaterialX as mx
import moderngl
import numpy as np
import OpenImageIO as oiio
from MaterialX import PyMaterialXGenGlsl as gen_glsl
from MaterialX import PyMaterialXGenShader as gen_shader

CORNERS = np.array([[0, 0], [1, 0], [0, 1], [1, 1]], np.float32)
ATTRIBUTES = {
    "i_position": np.c_[CORNERS, np.zeros(4, np.float32)],
    "i_texcoord_0": CORNERS,
    "i_normal": np.tile(np.float32([0, 0, 1]), (4, 1)),
    "i_tangent": np.tile(np.float32([1, 0, 0]), (4, 1)),
    "i_bitangent": np.tile(np.float32([0, 1, 0]), (4, 1)),
}
ONTO_SCREEN = np.diag([2, 2, 1, 1]).astype(np.float32)
ONTO_SCREEN[3, :2] = -1
GIVEN = {"u_viewProjectionMatrix": ONTO_SCREEN, "u_viewPosition": np.float32([0.5, 0.5, 1e6])}


class Reference:
    """The standard's shader generator, and what draws its shaders."""

    def __init__(self, size: int, folder: Path, *, levels: bool = False) -> None:
        """levels : read images as 8-bit textures between their smaller levels, as is usual, not exactly."""
        self.size, self.folder, self.levels = size, folder, levels
        search = mx.getDefaultDataSearchPath()
        self.library = mx.createDocument()
        mx.loadLibraries(mx.getDefaultDataLibraryFolders(), search, self.library)
        self.generator = gen_glsl.GlslShaderGenerator.create()
        colours = gen_shader.DefaultColorManagementSystem.create(self.generator.getTarget())
        colours.loadLibrary(self.library)
        self.generator.setColorManagementSystem(colours)
        self.context = gen_shader.GenContext(self.generator)
        options = self.context.getOptions()
        options.fileTextureVerticalFlip = True  # row 0 of a file is v = 1
        options.targetColorSpaceOverride = "lin_rec709"
        self.context.registerSourceCodeSearchPath(search)
        self.gl = moderngl.create_standalone_context(require=330)
        self.target = self.gl.framebuffer([self.gl.texture((size, size), 4, dtype="f4")])
        self.sheet: moderngl.VertexArray | None = None
        self._kept: list[object] = []

    def prepare(self, output: mx.Output) -> None:
        """Generates and compiles the shader of one output."""
        shader = self.generator.generate(output.getName(), output, self.context)
        stages = [shader.getStage(name) for name in ("vertex", "pixel")]
        program = self.gl.program(*(stage.getSourceCode() for stage in stages))
        self._kept, units = [], 0
        for stage in stages:
            for block in stage.getUniformBlocks().values():
                ports = [block[at] for at in range(block.size())]
                for port in ports:
                    name = port.getVariable()
                    if name not in program:
                        continue
                    if port.getType().getName() == "filename":
                        self._bind(port, ports, units)
                        program[name].value = units
                        units += 1
                    else:
                        _set(program[name], GIVEN.get(name, _value(port)))
        buffers = [(name, data) for name, data in ATTRIBUTES.items() if name in program]
        content = [(self.gl.buffer(data), f"{data.shape[1]}f", name) for name, data in buffers]
        self.sheet = self.gl.vertex_array(program, content)

    def _bind(self, port: Any, ports: list[Any], unit: int) -> None:
        """The file's texture with the filter and borders that its card asks for; a missing one is the default."""
        own = {one.getVariable(): one.getValueString() for one in ports}
        root = port.getVariable().removesuffix("_file")
        default = [float(part) for part in own.get(f"{root}_default", "0").split(",")]
        plain = oiio.ImageSpec()
        plain.attribute("oiio:UnassociatedAlpha", 1)
        source = oiio.ImageBuf(str(self.folder / (port.getValueString() or "none")), 0, 0, plain)
        pixels = source.get_pixels(oiio.FLOAT) if source.spec().width > 0 else np.float32([[default]])
        if pixels.shape[2] == 1:
            pixels = pixels.repeat(3, axis=2)
        height, width, channels = pixels.shape
        data, kind = (np.uint8(pixels * 255 + 0.5), "f1") if self.levels else (np.float32(pixels), "f4")
        texture = self.gl.texture((width, height), channels, np.ascontiguousarray(data), alignment=1, dtype=kind)
        way = moderngl.NEAREST if own.get(f"{root}_filtertype") == "0" else moderngl.LINEAR
        if self.levels:
            texture.build_mipmaps()
        sampler = self.gl.sampler(filter=(moderngl.LINEAR_MIPMAP_LINEAR if self.levels else way, way), texture=texture)
        modes = [own.get(f"{root}_{axis}addressmode", "2") for axis in "uv"]
        sampler.repeat_x, sampler.repeat_y = modes[0] == "2", modes[1] == "2"
        if modes == ["0", "0"]:
            sampler.border_color = tuple((default + [1.0] * 4)[:4])
        sampler.use(unit)
        texture.use(unit)
        self._kept += [texture, sampler]

    def draw(self) -> np.ndarray:
        """(size, size, 4) float32, row 0 at v = 0."""
        assert self.sheet is not None
        self.target.use()
        self.sheet.render(moderngl.TRIANGLE_STRIP)
        data = np.frombuffer(self.target.read(components=4, dtype="f4"), np.float32)
        return data.reshape(self.size, self.size, 4)


def _value(port: Any) -> object:
    text, kind = port.getValueString(), port.getType().getName()
    if not text:
        return np.eye(4, dtype=np.float32) if kind == "matrix44" else None
    if kind == "boolean":
        return text == "true"
    if kind in ("integer", "string"):
        return int(text)
    return np.float32([float(part) for part in text.split(",")])


def _set(uniform: moderngl.Uniform, value: object) -> None:
    if isinstance(value, np.ndarray):
        uniform.write(value.astype(np.float32).tobytes())
    elif value is not None:
        uniform.value = value


def main(size: int, folder: Path) -> None:
    reference = Reference(size, folder)
    print("ready", flush=True)
    for path in sorted(folder.glob("*.mtlx")):
        if path.with_suffix(".npz").exists():
            continue
        document = mx.createDocument()
        mx.readFromXmlFile(document, str(path))
        document.setDataLibrary(reference.library)
        drawn = {}
        for output in document.getNodeGraph("g").getOutputs():
            try:
                reference.prepare(output)
                drawn[output.getName()] = reference.draw()
            except Exception as error:
                print(f"{path.stem}.{output.getName()}: {str(error)[:300]}", file=sys.stderr, flush=True)
        np.savez(path.with_suffix(".npz"), **drawn)


if __name__ == "__main__":
    main(int(sys.argv[1]), Path(sys.argv[2]))
