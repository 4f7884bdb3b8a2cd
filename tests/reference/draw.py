"""Draws graphs with the standard's own reference implementation; run under a display by test_reference.py.

Arguments: a folder of .mtlx files, each with one nodegraph `g`; writes NAME.npz beside NAME.mtlx, one array
per output, row 0 at v = 0. Prints `ready` once the reference could be started.
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

SIZE = 48


def main(folder: Path) -> None:
    library, search = mx.createDocument(), mx.getDefaultDataSearchPath()
    mx.loadLibraries(mx.getDefaultDataLibraryFolders(), search, library)
    generator = gen_glsl.GlslShaderGenerator.create()
    context = gen_shader.GenContext(generator)
    context.registerSourceCodeSearchPath(search)
    renderer = render_glsl.GlslRenderer.create(SIZE, SIZE, render.BaseType.FLOAT)
    renderer.initialize()
    renderer.setImageHandler(render_glsl.GLTextureHandler.create(render.StbImageLoader.create()))
    print("ready", flush=True)
    for path in sorted(folder.glob("*.mtlx")):
        document = mx.createDocument()
        mx.readFromXmlFile(document, str(path))
        document.setDataLibrary(library)
        drawn = {}
        for output in document.getNodeGraph("g").getOutputs():
            renderer.createProgram(generator.generate(output.getName(), output, context))
            renderer.renderTextureSpace(mx.Vector2(0, 0), mx.Vector2(1, 1))
            image = renderer.captureImage(None)
            rows = [[list(image.getTexelColor(x, y)) for x in range(SIZE)] for y in range(SIZE)]
            drawn[output.getName()] = np.array(rows, np.float32)
        np.savez(path.with_suffix(".npz"), **drawn)


if __name__ == "__main__":
    main(Path(sys.argv[1]))
