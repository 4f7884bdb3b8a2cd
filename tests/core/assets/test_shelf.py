"""Kept groups: from one material to another, through a folder."""

from __future__ import annotations

from functools import partial
from pathlib import Path

import pytest

from collage.core.assets.shelf import Shelf
from collage.core.base.errors import CollageError
from collage.core.document.groups import bundle
from collage.core.nodes.wiring import output_type
from networks import network, same


def test_a_group_is_kept_and_put_into_another_network(library, tmp_path: Path) -> None:
    shelf = Shelf(tmp_path / "groups")
    assert shelf.names() == []
    grouped, group = bundle(network(), ("noise", "cells", "both"), partial(output_type, library), "Grain: fine/soft")
    name = shelf.keep(grouped, group)
    assert shelf.names() == [name] == ["Grain finesoft"]
    after, made = shelf.put(network(), name, (9.0, 9.0))
    card = after.cards[made[0]]
    assert card.network.cards.keys() == {"noise", "cells", "both"}
    assert card.position == (9.0, 9.0)
    same(library, network(), after)
    shelf.drop(name)
    assert shelf.names() == []
    with pytest.raises(CollageError, match="cannot be read"):
        shelf.put(network(), name, (0.0, 0.0))


def test_what_is_no_group_or_has_no_place_is_refused(library, tmp_path: Path) -> None:
    with pytest.raises(CollageError, match="Only a group"):
        Shelf(tmp_path).keep(network(), "noise")
    (tmp_path / "file").write_text("in the way")
    grouped, group = bundle(network(), ("noise",), partial(output_type, library))
    with pytest.raises(CollageError, match="could not be kept"):
        Shelf(tmp_path / "file").keep(grouped, group)
    with pytest.raises(CollageError, match="slashes"):
        Shelf(tmp_path).put(network(), "../elsewhere", (0.0, 0.0))
