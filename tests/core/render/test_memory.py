"""What a renderer keeps, counted from outside by the arrays that are alive, stays within its budget."""

from __future__ import annotations

import gc
import tracemalloc

from collage.core.base.budget import Budget
from collage.core.images.store import ImageStore
from collage.core.project.folder import load_project
from collage.core.project.pictures import picture_request
from collage.core.render.renderer import Renderer

LIMIT = 160 * 2**20  # several views of the size below


def test_views_that_are_seen_once_are_counted_with_their_light(library, whole_shed):
    project, _ = load_project(whole_shed)
    Renderer(library).picture(picture_request(project, 32, 24, folder=whole_shed))  # what is imported is not counted
    gc.collect()
    tracemalloc.start()
    budget = Budget()
    budget.limit = LIMIT
    renderer = Renderer(library, ImageStore(budget))
    request = picture_request(project, 240, 180, folder=whole_shed)
    try:
        for turn in range(14):
            camera = project.bench.camera.model_copy(update={"turn": 10.0 + turn})
            environment = project.bench.environment.model_copy(update={"turn": 5.0 * turn})
            bench = project.bench.model_copy(update={"camera": camera, "environment": environment})
            turned = picture_request(project.with_bench(bench), *request.size, folder=whole_shed)
            for picture in renderer.stages(turned):
                assert picture.display.any()
        del picture
        gc.collect()
        alive = tracemalloc.get_traced_memory()[0]
    finally:
        tracemalloc.stop()
    assert budget.used <= LIMIT
    assert alive < 1.06 * budget.used, "what is kept is what is counted"
