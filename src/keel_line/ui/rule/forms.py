"""Jigs in Rule: the form that a page looks like, its lines laid on pages, a form kept."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtWidgets import QMenu

from keel_line._shared.texts import count_of
from keel_line.desk.forms import FormFit, Jig, lay_form
from keel_line.errors import KeelLineError
from keel_line.model.docket import PageState
from keel_line.model.table import TableState
from keel_line.ui.session import Session
from keel_line.ui.station import Station

_MOST_MISSING = 3


class Forms:
    """What the Rule station does with jigs; ``find_page`` returns the page at hand."""

    def __init__(
        self, station: Station, session: Session, find_page: Callable[[], PageState | None]
    ) -> None:
        self._station = station
        self._session = session
        self._find_page = find_page

    def say(self, page: PageState) -> str:
        """Say which form a page looks like, if it lacks the form's lines or sums; else empty."""
        fit = self._session.find_form(page, self._session.shelf.jigs())
        if fit is None:
            return ""
        missing = ", ".join(f"“{m}”" for m in fit.missing[:_MOST_MISSING])
        without = f" Not found: {missing}." if missing else ""
        what = " and ".join(word for word, on in (("lines", fit.grids), ("sums", fit.table)) if on)
        return f"This page looks like the form “{fit.name}”. R uses its {what}.{without}"

    def lay(self) -> None:
        """Lay the lines of the form that the page looks like; of none, ask which."""
        page = self._page()
        if page is None:
            return
        jigs = self._session.shelf.jigs()
        fit = self._session.find_form(page, jigs)
        if fit is not None:
            self._take([(page, fit)])
            return
        jigs = [j for j in jigs if j.page is not None]
        if not jigs:
            self._station.say("There is no jig yet. Ctrl+J keeps this table as one.")
            return
        menu = self.make_menu(jigs)
        menu.popup(self._station.mapToGlobal(self._station.rect().center()))
        menu.setActiveAction(menu.actions()[0])

    def make_menu(self, jigs: Sequence[Jig]) -> QMenu:
        """Return a menu of jigs; the one that is chosen lends its lines to the page."""
        menu = QMenu(self._station)
        for jig in jigs:
            action = menu.addAction(jig.name)
            if action is not None:
                action.triggered.connect(lambda _on, jig=jig: self._lay_chosen(jig))
        return menu

    def lay_all(self) -> None:
        """Lay the lines of forms on every page that looks like one."""
        if self._station.waits_for_opening():
            return
        pages, jigs = self._session.desk.pages(), self._session.shelf.jigs()
        found = [(p, f) for p in pages if (f := self._session.find_form(p, jigs)) is not None]
        if found:
            self._take(found)
        else:
            self._station.say("No page looks like the form of a jig and has other lines.")

    def keep(self, name: str, table: TableState) -> bool:
        """Keep a table as a jig; return whether that was done."""
        if not name.strip():
            return False
        try:
            path = self._session.keep_as_jig(" ".join(name.split()), table)
        except KeelLineError as error:
            self._station.say(str(error), trouble=True)
            return False
        self._station.say(f"Kept as {path.name}. Its lines are offered on pages of this form.")
        return True

    def _lay_chosen(self, jig: Jig) -> None:
        page = self._page()
        if page is None:
            return
        own = [t for _, t in self._session.proofs.tables_on(page.id)]
        fit = lay_form(page, own, jig)
        if fit is None:
            self._station.say(f"The lines of “{jig.name}” do not lie on this page.", trouble=True)
        else:
            self._take([(page, fit)])

    def _page(self) -> PageState | None:
        page = self._find_page()
        return page if page is not None and page.progress == "done" else None

    def _take(self, fits: Sequence[tuple[PageState, FormFit]]) -> None:
        self._session.desk.lay_forms(fits)
        self._session.follow_jig(fits[0][1].name)
        for page, fit in fits:
            if not fit.grids:  # it is not read again
                self._session.take_page(page.id)
        laid = [fit for _, fit in fits if fit.grids]
        if not laid:
            self._station.say(f"The sums of “{fits[0][1].name}” are set. Ctrl+Z undoes it.")
            return
        if len(laid) == 1:
            on, again = "this page", "it is"
        else:
            on, again = count_of(len(laid), "page"), "they are"
        self._station.say(
            f"The lines of “{laid[0].name}” are laid on {on}; {again} read again. Ctrl+Z undoes it."
        )
        self._station.pages_changed.emit()
