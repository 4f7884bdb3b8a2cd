"""What can be done with one value of a card: default, copy, paste, link, show on the group."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QApplication, QDialog, QFormLayout, QMenu, QWidget

from collage.app.shell.acts import add
from collage.app.widgets.number_field import NumberField
from collage.app.widgets.pick_field import Choice, PickField
from collage.app.wire.card_tabs import card_tabs
from collage.core.actions import groups as groups_acts
from collage.core.actions import links as links_acts
from collage.core.actions.session import Session
from collage.core.document import links
from collage.core.document.links import LINKED, Link, Place
from collage.core.document.model import Card, Value
from collage.core.document.types import parse, write
from collage.core.nodes.labels import input_label
from collage.core.nodes.library import TabDef


def value_menu(panel: QWidget, session: Session, card: Card, tab: TabDef, label: str) -> QMenu:
    """The menu of one value."""
    menu = QMenu(panel)
    menu.setObjectName("value menu")
    place = Place(card.name, tab.name)
    one = session.network.cards[card.name].inputs.get(tab.name)
    link = links.link_of(session.network, place)
    wired = one is not None and one.wire is not None and link is None
    value = session.value_of(session.network.cards[card.name], tab)
    default = "" if tab.default is None else f" ({text_of(tab.default)})"
    menu.addAction(f"Default{default}", partial(session.reset_value, card.name, tab.name)).setEnabled(one is not None)
    if value is not None and not wired:
        menu.addAction("Copy the value", partial(QApplication.clipboard().setText, write(value)))
        menu.addAction("Paste a value", partial(paste_value, session, card.name, tab, label))
    if tab.type in LINKED and not tab.uniform and not wired and value is not None:
        menu.addSeparator()
        menu.addAction("Link to another value…", partial(ask_link, panel, session, card.name, tab))
    if link is not None:
        menu.addAction("Factor and offset…", partial(_open, LinkDialog(session, place, tab.type, link, panel)))
        for other in links.places_of(session.network, link.holder):
            if other != place:
                title = f"Go to {session.title(other.card)} · {input_label(other.input).lower()}"
                menu.addAction(title, partial(session.select, [other.card]))
        add(menu, links_acts.unlink, partial(links_acts.unlink, session, place))
    if (session.path and one is not None and one.interface is None and not wired) or (session.path and one is None):
        menu.addSeparator()
        add(
            menu,
            groups_acts.show_on_group,
            partial(groups_acts.show_on_group, session, card.name, tab.name, tab.type, value, label),
        )
    return menu


def text_of(value: Value) -> str:
    """A value in few words."""
    if isinstance(value, tuple):
        return ", ".join(f"{part:.3g}" for part in value)
    return f"{value:.4g}" if isinstance(value, float) else str(value)


def paste_value(session: Session, card: str, tab: TabDef, label: str) -> None:
    """Takes a copied value, if it fits."""
    try:
        value = parse(tab.type, QApplication.clipboard().text().strip())
    except ValueError:
        value = None
    if value is not None:
        session.set_value(card, tab.name, tab.type, value, label=label.lower())


def values_to_follow(session: Session, card: str, tab: TabDef) -> list[Choice]:
    """Values of the same type that an input can follow."""
    behind = {name for name in session.network.cards if card in session.network.upstream(name)}
    found = []
    for name, other in session.network.cards.items():
        if other.helper or (name in behind and name != card):
            continue
        for one in card_tabs(session, other):
            own = (name, one.name) == (card, tab.name)
            given = other.inputs.get(one.name)
            linked = links.link_of(session.network, Place(name, one.name)) is not None
            free = given is None or given.wire is None or linked
            value = session.value_of(other, one)
            if one.type == tab.type and not own and free and not one.geometry and value is not None and not one.uniform:
                text = f"{session.title(name)} · {input_label(one.name, one.attributes.get('uiname', ''))}"
                found.append(Choice(text, (Place(name, one.name), value), text_of(value)))
    return found


def ask_link(panel: QWidget, session: Session, card: str, tab: TabDef) -> None:
    """Asks which value to follow."""
    over = panel.window()
    field = PickField(over)
    at = panel.mapTo(over, QPoint(200, -200))

    def picked(data: tuple[Place, Value]) -> None:
        leader, value = data
        links_acts.link(session, Place(card, tab.name), leader, tab.type, value)
        field.deleteLater()

    field.ask(at, "Link to which value?", values_to_follow(session, card, tab), picked)


def _open(dialog: QDialog) -> None:
    dialog.show()


class LinkDialog(QDialog):
    """Factor and offset of a link."""

    def __init__(self, session: Session, place: Place, type_name: str, link: Link, parent: QWidget) -> None:
        super().__init__(parent)
        self.session, self.place, self.type = session, place, type_name
        self.setWindowTitle("Link")
        layout = QFormLayout(self)
        self.factor = NumberField(link.factor, soft=(-2.0, 2.0))
        self.offset = NumberField(link.offset, soft=(-1.0, 1.0))
        for name, field in (("Factor", self.factor), ("Offset", self.offset)):
            field.setAccessibleName(name)
            field.edited.connect(self._edited)
            layout.addRow(name, field)

    def _edited(self, _value: float, moving: bool) -> None:
        link = Link("", self.factor.value, self.offset.value)
        self.session.edit(
            "Set a link",
            lambda network: links.changed_link(network, self.place, link, self.type),
            merge=f"link {self.place}",
        )
        if not moving:
            self.session.history.close_merge()
