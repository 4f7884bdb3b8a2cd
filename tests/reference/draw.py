"""Draws graphs with the standard's own reference implementation; run under a display by test_reference.py.

Arguments: a size in pixels and a folder of .mtlx files, each with one nodegraph `g`; writes NAME.npz beside
NAME.mtlx, one array per output, row 0 at v = 0. What is drawn is the flat sheet: the unit square in the
plane z = 0, seen straight on, its texture coordinates its positions. Prints `ready` once the reference could
be started.
"""

from __future__ import annotations

import sys
from pathlib import Path

import MaterialX as mx
import numpy as np
from MaterialX import PyMaterialXGenGlsl as gen_glsl
from MaterialX import PyMaterialXGenShader as gen_shader
from MaterialX import PyMaterialXRender as render
from MaterialX import PyMaterialXRenderGlsl as render_glsl

SHEET = """v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nvn 0 0 1
f 1/1/1 2/2/1 3/3/1\nf 1/1/1 3/3/1 4/4/1\n"""


class Reference:
    """The standard's shader generator and renderer, ready to draw the flat sheet."""

    def __init__(self, size: int, folder: Path) -> None:
        self.size = size
        search = mx.getDefaultDataSearchPath()
        self.library = mx.createDocument()
        mx.loadLibraries(mx.getDefaultDataLibraryFolders(), search, self.library)
        self.generator = gen_glsl.GlslShaderGenerator.create()
        self.generator.setColorManagementSystem(_colours(self.generator, self.library))
        self.context = gen_shader.GenContext(self.generator)
        self.context.getOptions().fileTextureVerticalFlip = True  # row 0 of a file is v = 1
        self.context.registerSourceCodeSearchPath(search)
        self.renderer = render_glsl.GlslRenderer.create(size, size, render.BaseType.FLOAT)
        self.renderer.initialize()
        self.images = render_glsl.GLTextureHandler.create(render.StbImageLoader.create())
        self.images.setSearchPath(mx.FileSearchPath(str(folder)))
        self.renderer.setImageHandler(self.images)
        self._stand(folder)

    def _stand(self, folder: Path) -> None:
        """Puts the sheet before a camera without perspective."""
        (folder / "sheet.obj").write_text(SHEET)
        geometry = render.GeometryHandler.create()
        geometry.addLoader(render.TinyObjLoader.create())
        geometry.loadGeometry(mx.FilePath(str(folder / "sheet.obj")), False)
        self.renderer.setGeometryHandler(geometry)
        camera = render.Camera.create()
        camera.setViewMatrix(mx.Matrix44.createTranslation(mx.Vector3(-0.5, -0.5, -1)))
        camera.setProjectionMatrix(render.Camera.createOrthographicMatrix(-0.5, 0.5, -0.5, 0.5, 0.1, 10))
        self.renderer.setCamera(camera)

    def prepare(self, output: mx.Output) -> None:
        """Generates and compiles the shader of one output."""
        self.renderer.createProgram(self.generator.generate(output.getName(), output, self.context))

    def draw(self) -> np.ndarray:
        """(size, size, 4) float32, row 0 at v = 0."""
        self.renderer.render()
        image = self.renderer.captureImage(None)
        size = self.size
        rows = [[list(image.getTexelColor(x, y)) for x in range(size)] for y in range(size)]
        return np.array(rows, np.float32)


def _colours(generator: gen_glsl.GlslShaderGenerator, library: mx.Document) -> gen_shader.DefaultColorManagementSystem:
    system = gen_shader.DefaultColorManagementSystem.create(generator.getTarget())
    system.loadLibrary(library)
    return system


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
                print(f"{path.stem}.{output.getName()}: {str(error)[:200]}", file=sys.stderr, flush=True)
        np.savez(path.with_suffix(".npz"), **drawn)


if __name__ == "__main__":
    main(int(sys.argv[1]), Path(sys.argv[2]))
