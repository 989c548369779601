"""The window: title, the line, the stations, the page ribbon, and what runs now."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import TypeVar

from PyQt6.QtCore import QSize, Qt, QTimer
from PyQt6.QtGui import (
    QAction,
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QIcon,
    QKeyEvent,
    QKeySequence,
    QPainter,
    QPen,
    QPixmap,
    QResizeEvent,
)
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QMenu,
    QProgressBar,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)
from typing_extensions import override

from keel_line._shared.texts import count_of
from keel_line.desk.demo import demo_pages
from keel_line.desk.desk import Desk, Notice
from keel_line.desk.engine import ENDINGS
from keel_line.desk.find import Place
from keel_line.desk.jigs import Shelf
from keel_line.errors import KeelLineError
from keel_line.model.docket import PageState
from keel_line.settings import PLAIN_SIGNS, TOLERANCE, TOLERANCE_STEPS, say_tolerance
from keel_line.ui.backlog import Backlog
from keel_line.ui.commands import COMMANDS
from keel_line.ui.dockets import (
    DOCKET_ENDING,
    earlier_dockets,
    last_change,
    make_folder,
    new_docket_path,
)
from keel_line.ui.find_sheet import FindSheet
from keel_line.ui.help_sheet import HelpSheet
from keel_line.ui.jig_sheet import JigSheet
from keel_line.ui.jobs import Jobs
from keel_line.ui.memory import ThemeName, WindowMemory
from keel_line.ui.overview import PageCounts, make_ribbon_page, make_stops
from keel_line.ui.session import Session
from keel_line.ui.station import DocketView, Station
from keel_line.ui.stations import STATIONS
from keel_line.ui.theme import Theme, apply_theme, make_theme
from keel_line.ui.widgets.line import LineBar
from keel_line.ui.widgets.plain import plain_tip
from keel_line.ui.widgets.ribbon import PageRibbon, RibbonPage

_RIBBON_MS, _MANIFEST_MS = 40, 250
_OF_TABLES = frozenset({"proof", "tidy"})  # stations of the table at hand


StationType = TypeVar("StationType", bound=Station)


class Window(QMainWindow):
    """The main window, with one docket at a time.

    Parameters
    ----------
    desk
        The docket to begin with.
    folder
        Where new dockets are kept.
    theme_name
        ``light`` or ``dark``.
    memory
        What is remembered between starts; without one nothing is.
    """

    def __init__(
        self,
        desk: Desk,
        folder: Path,
        *,
        theme_name: ThemeName = "light",
        jobs: Jobs | None = None,
        memory: WindowMemory | None = None,
    ) -> None:
        super().__init__()
        self.folder = folder
        self._memory = memory or WindowMemory(None)
        self._theme_name: ThemeName = theme_name
        self.theme = make_theme(theme_name)
        app = QApplication.instance()
        if isinstance(app, QApplication):  # before any widget, so that all take its face
            apply_theme(app, self.theme)
        self.jobs = jobs or Jobs(desk)
        self.session = Session(desk, self.jobs, Shelf(folder / "Jigs"))
        self._small: dict[int, QPixmap] = {}
        self._at = "gather"
        self._page_id = -1
        self._told_typed = ""
        self._leaving = False
        self._folded = False
        self._notices: list[Notice] = []
        self._file_notices: list[Notice] = []
        self._renewing = ""
        self._pages: list[PageState] = []
        self._page_at: dict[int, int] = {}
        self._page_counts = PageCounts()
        self.setWindowTitle("Keel Line")
        self.setMinimumSize(1024, 640)
        self.resize(1280, 800)
        self.restoreGeometry(self._memory.place)
        self.setAcceptDrops(True)
        self._ribbon_rest = QTimer(self)
        self._ribbon_rest.setSingleShot(True)
        self._ribbon_rest.setInterval(_RIBBON_MS)
        self._ribbon_rest.timeout.connect(self._renew_ribbon)
        self._manifest_rest = QTimer(self)
        self._manifest_rest.setSingleShot(True)
        self._manifest_rest.setInterval(_MANIFEST_MS)
        self._manifest_rest.timeout.connect(self.refresh)
        self._to_fetch = Backlog(self._fetch_small, self)
        self._build()
        self._bind()
        self.jobs.file_taken.connect(self._note_file)
        self.jobs.files_added.connect(self._show_added)
        self.jobs.progress.connect(self._show_progress)
        self.jobs.finished.connect(self._finish)
        self.jobs.noticed.connect(self._take_notice)
        self.session.tables_changed.connect(self._follow_tables)
        self.session.pages_unsquared.connect(self._reread_changed_pages)
        self.session.cells_changed.connect(self._refresh_counts)
        self.session.renewed.connect(self._report_renewed)
        self.session.opening.connect(self._show_opening)
        self.session.moved.connect(self._follow_page)
        self.refresh()

    # --- building -----------------------------------------------------------------------------

    def _build(self) -> None:
        self.line = LineBar(self.theme)
        self._stations = {kind.NAME: kind(self.session, self.theme) for kind in STATIONS}
        self._stack = QStackedWidget()
        for station in self._stations.values():
            self._stack.addWidget(station)
            station.recall(self._memory)
        self.ribbon = PageRibbon(self.theme)
        self._rules = [QWidget() for _ in range(3)]
        desk = QWidget()
        desk.setObjectName("desk")
        column = QVBoxLayout(desk)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(self._make_top())
        column.addWidget(self.line)
        column.addWidget(self._rules[0])
        column.addWidget(self._stack, 1)
        column.addWidget(self._rules[1])
        column.addWidget(self.ribbon)
        column.addWidget(self._rules[2])
        column.addLayout(self._make_bottom())
        self.setCentralWidget(desk)
        self.help = HelpSheet(desk, self.theme)
        self.find_sheet = FindSheet(desk, self.theme, self.jobs)
        self.jig_sheet = JigSheet(desk, self.theme, self.session.shelf)
        self._connect()
        self._dress()
        for label in self.findChildren(QLabel):  # names of files are shown as they are
            if label.textFormat() == Qt.TextFormat.AutoText:
                label.setTextFormat(Qt.TextFormat.PlainText)

    def _make_top(self) -> QHBoxLayout:
        self._menu_button = QToolButton()
        self._menu_button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self._menu_button.setAccessibleName("Menu")
        self._menu_button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._menu = QMenu(self)
        self._menu_button.setMenu(self._menu)
        self._title = QLabel()
        top = QHBoxLayout()
        top.setContentsMargins(12, 8, 16, 2)
        top.addWidget(self._menu_button)
        top.addWidget(self._title)
        top.addStretch(1)
        self.find_button = QToolButton()
        self.find_button.setText("Find anywhere (Ctrl+F)")
        self.find_button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.find_button.clicked.connect(self.find_anywhere)
        top.addWidget(self.find_button)
        return top

    def _make_bottom(self) -> QHBoxLayout:
        self.message = QLabel()
        self.message.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.message.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.progress = QProgressBar()
        self.progress.setFixedSize(150, 8)
        self.progress.setTextVisible(False)
        self.stop_button = QToolButton()
        self.stop_button.setText("Stop")
        self.stop_button.clicked.connect(self.jobs.stop)
        self._running = QLabel()
        self._running.setObjectName("quiet")
        self.expected = QLabel()
        self.dial = QToolButton()
        self.dial.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.dial.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.dial.setToolTip(f"{TOLERANCE.help} Ctrl+Up: stricter. Ctrl+Down: more lenient.")
        choices = QMenu(self.dial)
        for value in TOLERANCE_STEPS:
            choice = choices.addAction(say_tolerance(value))
            if choice is not None:
                choice.triggered.connect(lambda _on, value=value: self.set_tolerance(value))
        choices.addSeparator()
        self.dial.setMenu(choices)
        bottom = QHBoxLayout()
        bottom.setContentsMargins(16, 4, 16, 7)
        bottom.setSpacing(10)
        bottom.addWidget(self.message, 1)
        for widget in (self._running, self.progress, self.stop_button):
            bottom.addWidget(widget)
            widget.hide()
        bottom.addSpacing(6)
        bottom.addWidget(self.expected)
        bottom.addWidget(self.dial)
        return bottom

    def _connect(self) -> None:
        self.line.chosen.connect(self.go_to)
        self.ribbon.chosen.connect(self.go_to_page)
        self.help.closed.connect(self._focus_station)
        self.find_sheet.closed.connect(self._focus_station)
        self.jig_sheet.closed.connect(self._focus_station)
        self.jig_sheet.changed.connect(self._show_page)
        self.find_sheet.chosen.connect(self._go_to_place)
        for station in self._stations.values():
            station.said.connect(self._say)
            station.go_to.connect(self.go_to)
            station.page_wanted.connect(self.go_to_page)
            station.step_page.connect(self._step_page)
            station.pages_changed.connect(self._read_changed)
            station.command.connect(self._act)
            station.docket_wanted.connect(self.open_docket)
            station.typing.connect(self._forget_warning)

    def station(self, kind: type[StationType]) -> StationType:
        """Return the station of a kind."""
        return next(s for s in self._stations.values() if isinstance(s, kind))

    def _say(self, text: str, trouble: bool) -> None:  # noqa: FBT001 - a slot
        self.say(text, trouble=trouble)

    def _dress(self) -> None:
        self._title.setFont(self.theme.bold(1.25))
        self.expected.setFont(self.theme.bold(0.95))
        self.message.setFont(self.theme.font(0.95))
        for rule in self._rules:
            rule.setFixedHeight(1)
            rule.setStyleSheet(f"background: {self.theme.colours.hairline};")
        self._menu_button.setIcon(_menu_icon(self.theme))
        self._menu_button.setIconSize(QSize(20, 20))
        self.progress.setStyleSheet(
            f"QProgressBar {{ border: none; background: {self.theme.colours.hairline};"
            f" border-radius: 4px; }} QProgressBar::chunk {{ background:"
            f" {self.theme.colours.teal}; border-radius: 4px; }}"
        )
        for station in self._stations.values():
            station.set_theme(self.theme)
        for part in (self.line, self.ribbon, self.help, self.find_sheet, self.jig_sheet):
            part.set_theme(self.theme)

    def _bind(self) -> None:
        self._acts: dict[str, Callable[[], object]] = {
            "add-files": self.choose_files,
            "new-docket": self.new_docket,
            "open-docket": self.choose_docket,
            "open-demo": self.open_demo,
            "find": self.find_anywhere,
            "undo": self._undo,
            "redo": self._redo,
            "stop": self.stop_or_go_on,
            "read-again": self.read_failed_again,
            "ribbon": self._fold_ribbon,
            "fewer-unseen": lambda: self._turn_dial(-1),
            "more-unseen": lambda: self._turn_dial(1),
            PLAIN_SIGNS.name: self._turn_plain_signs,
            "theme": self._change_theme,
            "keys": self.help.show_over,
            "jigs": self.jig_sheet.open,
            "quit": self.close,
        }
        in_menu = {
            "add-files",
            "new-docket",
            "open-docket",
            "open-demo",
            "find",
            "jigs",
            "undo",
            "redo",
            "ribbon",
            "theme",
            "keys",
            "quit",
        }
        apart = {"find", "ribbon", "keys"}
        self.actions_by_id: dict[str, QAction] = {}
        for command in COMMANDS:
            if command.where != "window" or not command.bound:
                continue
            action = QAction(command.label, self)
            action.setShortcuts([QKeySequence(k) for k in command.keys])
            action.setToolTip(command.help)
            action.triggered.connect(lambda _on, command=command.id: self._act(command))
            self.addAction(action)
            self.actions_by_id[command.id] = action
            if command.id == PLAIN_SIGNS.name:
                action.setCheckable(True)
                choices = self.dial.menu()
                if choices is not None:
                    choices.addAction(action)
            if command.id in in_menu:
                if command.id in apart:
                    self._menu.addSeparator()
                self._menu.addAction(action)

    def _act(self, command: str) -> None:
        """Do what a command asks for: the window's own, a station to go to, or a station's."""
        if command in self._acts:
            self._acts[command]()
        elif command in self._stations:
            self.go_to(command)
        else:
            any(station.act(command) for station in self._stations.values())

    # --- showing ------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Update everything: pages, line, ribbon, counts."""
        desk = self.session.desk
        self._pages = desk.pages()
        self._page_at = {p.id: i for i, p in enumerate(self._pages)}
        troubled = [s for s in desk.sources() if s.trouble]
        self._page_counts = PageCounts(refused=len(troubled))
        for page in self._pages:
            self._page_counts.add(page)
            if page.progress == "done" and page.id not in self._small:
                self._small[page.id] = QPixmap()
                self._to_fetch.put([page.id])
        self._to_fetch.work()
        path = desk.docket.path
        earlier = [] if self._pages else self._earlier()
        view = DocketView(path, self._pages, troubled, self._small, earlier)
        for station in self._stations.values():
            station.show_docket(view)
        title = path.stem if path and (self._pages or troubled) else "Keel Line"
        self._title.setText(f"{title} · reading only" if desk.docket.read_only else title)
        self._show_ribbon()
        known = {p.id for p in self._pages}
        if self._page_id not in known and self._pages:
            self._page_id = self._pages[0].id
        self._refresh_counts()
        self._show_ribbon_pages()
        if self._stations[self._at].OF_PAGES:
            self._show_page()

    def _follow_tables(self, page_id: int) -> None:
        """Update one page's row and picture, not the whole docket."""
        at = self._page_at.get(page_id)
        page = self.session.desk.page(page_id) if at is not None else None
        if at is None or page is None:
            self.refresh()
            return
        self._page_counts.add(self._pages[at], -1)
        self._page_counts.add(page)
        self._pages[at] = page
        self._fetch_small(page_id)
        self.session.proofs.changed_pages.add(page_id)
        for station in self._stations.values():
            station.show_row(at, page)
        self._refresh_counts()
        if self._stations[self._at].OF_PAGES:
            self._show_page()

    def _fetch_small(self, page_id: int) -> None:
        data = self.session.desk.docket.small_picture(page_id)
        if data is not None:
            pixmap = QPixmap()
            pixmap.loadFromData(data, "PNG")
            self._small[page_id] = pixmap
            self.session.proofs.changed_pages.add(page_id)
            self._ribbon_rest.start()

    def _earlier(self) -> list[tuple[Path, str]]:
        own = self.session.desk.docket.path
        out = []
        for path in earlier_dockets(self.folder):
            if path != own:
                when = datetime.fromtimestamp(last_change(path)).astimezone()
                out.append((path, f"{when.day} {when:%B %Y, %H:%M}"))
        return out[:6]

    def _refresh_counts(self) -> None:
        session = self.session
        total = session.proofs.total
        joins = session.count_open_joins()
        self.line.show_stops(make_stops(self._page_counts, total, joins), self._at)
        wrong = f"Expected wrong cells: {total.wrong:.1f}"
        self.expected.setText(wrong if session.tables else "")
        plain = session.desk.plain_signs
        self.actions_by_id[PLAIN_SIGNS.name].setChecked(plain)
        signs = ", plain dashes and quotes" if plain else ""
        self.dial.setText(f"Tolerance: {say_tolerance(session.desk.unseen)}{signs}")
        self.dial.setVisible(bool(session.tables))
        self._ribbon_rest.start()  # what the small pictures say can wait until the key is shown

    def _show_ribbon_pages(self) -> None:
        """Show all pages on the ribbon."""
        self.session.proofs.changed_pages.clear()
        self.ribbon.show_pages([self._ribbon_page(p) for p in self._pages])
        self.ribbon.go_to(self._page_id)

    def _renew_ribbon(self) -> None:
        """Show on the ribbon what changed of its pages."""
        changed = self.session.proofs.changed_pages
        for page_id in changed & self._page_at.keys():
            self.ribbon.show_page(self._ribbon_page(self._pages[self._page_at[page_id]]))
        changed.clear()

    def _ribbon_page(self, page: PageState) -> RibbonPage:
        counts = self.session.proofs.count_page(page.id)
        return make_ribbon_page(page, counts, self._small.get(page.id))

    def say(self, text: str, *, trouble: bool = False) -> None:
        """Show a message in the status line; trouble is marked by words and colour."""
        self.message.setObjectName("trouble" if trouble else "quiet")
        style = self.message.style()
        if style is not None:
            style.polish(self.message)
        self.message.setText(text)
        self.message.setToolTip(plain_tip(text))

    def stop_or_go_on(self) -> None:
        """Stop reading, or resume with the waiting pages."""
        if self.jobs.running:
            self.jobs.stop()
        else:
            self.jobs.read_waiting()
            if self.jobs.running:
                self.say("Reading goes on.")

    def _show_progress(self, done: int, total: int, seconds_left: float) -> None:
        left = f", about {max(1, round(seconds_left))} s left" if seconds_left >= 0 else ""
        if done == 0:
            self._notices.clear()
        self._running.setText(f"Reading {done + 1} of {total}{left}")
        self.progress.setMaximum(total)
        self.progress.setValue(done)
        for widget in (self._running, self.progress, self.stop_button):
            widget.show()

    def _take_notice(self, notice: Notice) -> None:
        self._notices.append(notice)
        self.say(notice.text, trouble=notice.trouble)

    def _finish(self, stopped: bool) -> None:  # noqa: FBT001 - a slot
        for widget in (self._running, self.progress, self.stop_button):
            widget.hide()
        if stopped:
            self.say("Stopped. Finished pages are kept; Ctrl+. resumes.")
        elif self._notices:  # what the clerk should know stays in sight
            worst = next((n for n in self._notices if n.trouble), self._notices[-1])
            self.say(worst.text, trouble=worst.trouble)
        else:
            doubts = self.session.doubts_left()
            hint = "Ctrl+4 goes to the doubts." if doubts else "Ctrl+6 goes to Send."
            self.say(
                f"Read {count_of(len(self._pages), 'page')}: "
                f"{count_of(len(self.session.tables), 'table')}, {count_of(doubts, 'doubt')}. "
                f"{hint}"
            )

    # --- going about --------------------------------------------------------------------------

    def go_to(self, station: str) -> None:
        """Go to a station."""
        if station not in self._stations:
            return
        if self._at != station:
            self._stations[self._at].settle()
        self._at = station
        self._stack.setCurrentWidget(self._stations[station])
        wanted = self._stations[station].enter(self._pages, self._page_id)
        if wanted != self._page_id:
            self._page_id = wanted
            self.session.go_to_page(wanted)
            self.ribbon.go_to(self._page_id)
        if self._stations[station].OF_PAGES:
            self._show_page()
        self._focus_station()
        self._refresh_counts()

    def _focus_station(self) -> None:
        """Give the keyboard focus to the current station.

        Stations with several controls have no focus proxy: Tab would come back to it from the
        control after it, and never get further.
        """
        self._stations[self._at].first.setFocus()

    def go_to_page(self, page_id: int) -> None:
        """Make a page current; in Proof, its first table."""
        self._page_id = page_id
        self.jobs.prefer(page_id)
        self.session.go_to_page(page_id)
        if self._stations[self._at].OF_PAGES:
            self._show_page()
        self.ribbon.go_to(self._page_id)
        self._focus_station()

    def find_anywhere(self) -> None:
        """Look for a text in this docket, then in the others, the last changed first."""
        own = self.session.desk.docket.path
        others = [p for p in earlier_dockets(self.folder) if p != own]
        self.find_sheet.open(others if own is None else [own, *others])

    def _go_to_place(self, place: Place) -> None:
        """Go to what was found, in its docket."""
        if place.docket != self.session.desk.docket.path:
            self.open_docket(place.docket)
        if place.docket != self.session.desk.docket.path:
            return  # it cannot be opened, or the clerk stays
        self.go_to_page(place.page)
        self.go_to("proof")
        if place.cell is not None and not self.session.go_to_cell(place.page, place.cell):
            self.say("This page was read again meanwhile. Look for the text once more.")

    def _show_page(self) -> None:
        page = next((p for p in self._pages if p.id == self._page_id), None)
        waiting = ""
        if page is None:
            waiting = "No page yet. Ctrl+O adds scans."
        elif page.progress != "done":
            waiting = page.trouble or "This page is not read yet."
        self._stations[self._at].show_page(page, self._pages, waiting)

    def _read_changed(self) -> None:
        """Square and read the pages again whose settings changed."""
        if self._leaving:
            return
        self.refresh()
        self.jobs.read_waiting()

    def _reread_changed_pages(self, page_ids: tuple[int, ...], station: str) -> None:
        """Show pages whose squaring or lines were undone; read those again that are not known."""
        self._page_id = page_ids[0]
        for page_id in page_ids:
            page = self.session.desk.page(page_id)
            if page is not None and page.progress == "done":
                self.jobs.renew_page(page_id)
        self.go_to(station)
        self._read_changed()

    def _step_page(self, step: int) -> None:
        ids = [p.id for p in self._pages]
        if self._page_id in ids:
            index = min(max(ids.index(self._page_id) + step, 0), len(ids) - 1)
            self.go_to_page(ids[index])

    def _follow_page(self) -> None:
        table = self.session.table
        if table is not None and table.page_id != self._page_id and self._at in _OF_TABLES:
            self._page_id = table.page_id
            self.ribbon.go_to(self._page_id)

    def _fold_ribbon(self) -> None:
        self._folded = not self._folded
        self._show_ribbon()

    def _show_ribbon(self) -> None:
        shown = bool(self._pages) and not self._folded
        self.ribbon.setVisible(shown)
        self._rules[2].setVisible(shown)

    def _change_theme(self) -> None:
        self._theme_name = "dark" if self._theme_name == "light" else "light"
        self._memory.theme = self._theme_name
        self.theme = make_theme(self._theme_name)
        app = QApplication.instance()
        if isinstance(app, QApplication):
            apply_theme(app, self.theme)
        self._dress()
        self.refresh()

    def set_tolerance(self, value: float) -> None:
        """Set the tolerance, and say how many cells are flagged now."""
        self._renewing = f"Tolerance is now {say_tolerance(value)}"
        self.session.set_tolerance(value)

    def _turn_plain_signs(self) -> None:
        """Turn plain dashes and quotes on or off, and say how many cells are flagged now."""
        plain = not self.session.desk.plain_signs
        said = "written plainly (- ' \")" if plain else "shown as they were read"
        self._renewing = f"Dashes and quotes are {said}"
        self.session.set_plain_signs(plain=plain)

    def _report_renewed(self) -> None:
        """Report the effect of the last changed setting."""
        self.say(f"{self._renewing}: {count_of(self.session.doubts_left(), 'doubt')}.")

    def _turn_dial(self, step: int) -> None:
        """Make the tolerance stricter (-1) or more lenient (+1)."""
        now = self.session.desk.unseen
        near = min(range(len(TOLERANCE_STEPS)), key=lambda i: abs(TOLERANCE_STEPS[i] - now))
        self.set_tolerance(TOLERANCE_STEPS[min(max(near + step, 0), len(TOLERANCE_STEPS) - 1)])

    def _keep_settings(self) -> None:
        """Keep pending edits at once, without the usual pause."""
        for station in self._stations.values():
            station.settle()

    def _may_leave(self) -> bool:
        """Ask once before typed text is lost; allow it the second time."""
        at, typed = next(((n, s.typed) for n, s in self._stations.items() if s.typed), ("", ""))
        if not typed or typed == self._told_typed:
            return True
        self._told_typed = typed
        self.go_to(at)
        self.say(f"“{typed}” is not saved. Enter saves it; repeat to discard it.")
        return False

    def _forget_warning(self) -> None:
        """Reset the question about typed text, as other text is typed now."""
        self._told_typed = ""

    def _leave_docket(self) -> None:
        """Keep pending edits; their pages are read when the docket is opened again."""
        self._leaving = True
        self._keep_settings()
        self._leaving = False

    def _undo(self) -> None:
        self._keep_settings()
        if self.session.undo():  # what was said of it holds no longer
            self.say("Undone. Ctrl+Y redoes it.")
        else:
            self.say("Nothing to undo.")

    def _redo(self) -> None:
        self._keep_settings()
        if self.session.redo():
            self.say("Redone. Ctrl+Z undoes it.")
        else:
            self.say("Nothing to redo.")

    # --- dockets and files -----------------------------------------------------------------------

    def choose_files(self) -> None:
        """Ask for files and add them."""
        patterns = " ".join(f"*{e}" for e in ENDINGS)
        names, _ = QFileDialog.getOpenFileNames(
            self, "Add files", self._memory.folder("scans"), f"Scans ({patterns});;*"
        )
        if names:
            self._memory.keep_folder("scans", Path(names[0]))
            self.add_files([Path(n) for n in names])

    def add_files(self, paths: list[Path]) -> None:
        """Add files and all of folders, and read them; a docket among them is opened."""
        dockets = [p for p in paths if p.suffix == DOCKET_ENDING]
        if dockets:
            if not self._may_leave():  # nor may what comes with it go into the docket at hand
                return
            self.open_docket(dockets[0])
        scans = [p for p in paths if p.suffix != DOCKET_ENDING]
        if not scans:
            return
        if self.session.desk.docket.path is None:
            try:
                desk = Desk(new_docket_path(self.folder, scans[0].stem))
            except KeelLineError as error:
                self.say(str(error), trouble=True)
                return
            self._put_on_desk(desk)
        if self.session.desk.docket.read_only:
            self.say(f"Open for reading only: {self.session.desk.docket.read_only}.", trouble=True)
            return
        self._file_notices.clear()
        self.say("Adding files …")
        self.jobs.add_files(scans)

    def _note_file(self, notice: Notice) -> None:
        """Record the outcome of adding a file; the list of pages is updated when there is time."""
        self._file_notices.append(notice)
        self._manifest_rest.start()

    def _show_added(self) -> None:
        """Report that all files are added, and which could not be."""
        self._manifest_rest.stop()
        self.refresh()
        bad = [n for n in self._file_notices if n.trouble]
        if bad:
            more = f" ({len(bad) - 1} more in Gather)" if len(bad) > 1 else ""
            self.say(bad[0].text + more, trouble=True)
        elif self._file_notices:
            self.say(self._file_notices[-1].text)

    def read_failed_again(self) -> None:
        """Read the pages again that failed."""
        failed = self.session.desk.read_failed_again()
        if not failed:
            self.say("No page failed.")
            return
        self.refresh()
        self.say(f"Reading {count_of(failed, 'page')} again.")
        self.jobs.read_waiting()

    def new_docket(self) -> None:
        """Close the docket and begin with an empty desk."""
        if not self._may_leave():
            return
        self._put_on_desk(Desk(None))
        self.go_to("gather")
        self.say("")

    def choose_docket(self) -> None:
        """Ask for a docket and open it."""
        name, _ = QFileDialog.getOpenFileName(
            self,
            "Open a docket",
            self._memory.folder("dockets", self.folder),
            f"Dockets (*{DOCKET_ENDING})",
        )
        if name:
            self._memory.keep_folder("dockets", Path(name))
            self.open_docket(Path(name))

    def open_docket(self, path: Path) -> None:
        """Open a docket and go to the first waiting work."""
        if not self._may_leave():
            return
        if not path.exists():
            self.say(f"{path} is gone.", trouble=True)
            return
        own = self.session.desk.docket.path
        if own is not None and own.exists() and own.samefile(path):
            self.say(f"{path.stem} is already open.")
            return
        try:
            desk = Desk(path)
        except KeelLineError as error:
            self.say(str(error), trouble=True)
            return
        self._put_on_desk(desk)
        self.go_to("proof" if self.session.doubts_left() else "gather")
        self.say("")
        self._report_state()
        self.jobs.read_waiting()

    def _show_opening(self, done: int, total: int) -> None:
        """Show how much of a large docket is open."""
        is_open = done == total
        if is_open and not self.jobs.running:
            for widget in (self._running, self.progress):
                widget.hide()
        if is_open:
            self._report_state()
        elif not self.jobs.running:
            self._running.setText(f"Opening: {done:,} of {count_of(total, 'page')}")
            self.progress.setMaximum(total)
            self.progress.setValue(done)
            for widget in (self._running, self.progress):
                widget.show()

    def _report_state(self) -> None:
        """Report what is damaged in a docket just opened, or why it cannot be changed."""
        docket = self.session.desk.docket
        if docket.damage:
            more = f" (and {len(docket.damage) - 1} more)" if len(docket.damage) > 1 else ""
            self.say(f"{docket.damage[0]}{more}. Everything else is whole.", trouble=True)
        elif docket.read_only:
            self.say(f"Open for reading only: {docket.read_only}.", trouble=True)

    def open_demo(self, *, fresh: bool = False) -> None:
        """Open the demo docket; its pages are read the first time."""
        if not self._may_leave():
            return
        path = self.folder / f"Brannock Sound demo{DOCKET_ENDING}"
        if fresh:
            path = new_docket_path(self.folder, path.stem)
        try:
            make_folder(self.folder)
            desk = Desk(path)
            fresh = not desk.pages()
        except KeelLineError as error:
            self.say(str(error), trouble=True)
            return
        self._put_on_desk(desk)
        self.go_to("proof" if self.session.tables else "gather")
        if fresh:
            self.add_files(demo_pages())
        self.jobs.read_waiting()

    def _put_on_desk(self, desk: Desk) -> None:
        self._leave_docket()
        self._told_typed = ""
        old = self.session.desk
        self._small.clear()
        self._to_fetch.empty()
        self._page_id = -1
        self.session.set_desk(desk)
        old.close()
        self.refresh()

    # --- Qt's own -------------------------------------------------------------------------------

    @override
    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        # Qt presses a button by Space alone; Enter is what the hand is on here.
        at = self.focusWidget()
        if (
            event is not None
            and event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter}
            and isinstance(at, QAbstractButton)
        ):
            at.click()
            return
        super().keyPressEvent(event)

    @override
    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event else None
        if event is not None and data is not None and data.hasUrls():
            event.acceptProposedAction()

    @override
    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event else None
        if data is None:
            return
        paths = [Path(u.toLocalFile()) for u in data.urls() if u.isLocalFile()]
        if paths:
            self.add_files(paths)

    @override
    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        for sheet in (self.help, self.find_sheet, self.jig_sheet):
            if sheet.isVisible():
                sheet.fit()

    @override
    def closeEvent(self, event: QCloseEvent | None) -> None:
        if event is not None and not self._may_leave():
            event.ignore()
            return
        self._to_fetch.empty()
        self._memory.place = self.saveGeometry()
        for station in self._stations.values():
            station.remember(self._memory)
        self._leave_docket()
        self.session.close()
        self.jobs.close()
        self.session.desk.close()
        super().closeEvent(event)


def _menu_icon(theme: Theme) -> QIcon:
    """Three strokes, the lowest short: a stack of lines of a page."""
    pixmap = QPixmap(40, 40)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    painter.setPen(QPen(theme.color("ink"), 3, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
    for y, right in ((11, 33), (20, 33), (29, 24)):
        painter.drawLine(7, y, right, y)
    painter.end()
    return QIcon(pixmap)
