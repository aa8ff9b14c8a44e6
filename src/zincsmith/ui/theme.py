"""Colours and fonts: one home for both themes.

Colour follows the quantity; ``text`` holds the shade of each hue that keeps 4.5:1 on every ground it stands on,
for text below 18 px. ``tests/ui/test_theme.py`` works the contrast out.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from importlib import resources

from PySide6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PySide6.QtWidgets import QApplication


@dataclass(frozen=True)
class Theme:
    """All colours as #rrggbb."""

    name: str
    ground: str
    paper: str
    strip: str
    spine: str
    spine_ink: str
    line: str
    zinc: str
    zinc_light: str
    edge: str
    ink: str
    ink2: str
    chosen: str
    focus: str
    button: str
    button_ink: str
    hue: dict[str, str]
    text: dict[str, str]
    verdict: dict[str, str]
    energised: dict[str, str]
    doubt_ground: str
    doubt_edge: str
    doubt_ink: str
    alarm: str
    alarm_ground: str
    large_weight: int

    def color(self, name: str) -> QColor:
        """A ground, line or ink by its field name."""
        return QColor(getattr(self, name))

    def of(self, kind: str) -> QColor:
        """The hue of a quantity's kind, for lines and large figures; ink for plain ones."""
        return QColor(self.hue.get(kind, self.ink))

    def text_of(self, kind: str) -> QColor:
        """The shade of that hue for small text."""
        return QColor(self.text.get(kind, self.ink))


LIGHT = Theme(
    name="light",
    ground="#f5f5f2",
    paper="#ffffff",
    strip="#e1e5e6",
    spine="#2c363c",
    spine_ink="#e6eaea",
    line="#c6cdcf",
    zinc="#b9c4c6",
    zinc_light="#e6eaea",
    edge="#76848a",
    ink="#1b2226",
    ink2="#4e5b61",
    chosen="#e8ecee",
    focus="#1b2226",
    button="#1f272c",
    button_ink="#ffffff",
    hue={
        "voltage": "#3D4FB3",
        "current": "#C4611C",
        "power": "#8B2E6A",
        "temperature": "#B5432F",
        "efficiency": "#1A7A70",
    },
    text={
        "voltage": "#3D4FB3",
        "current": "#9F4A0D",
        "power": "#8B2E6A",
        "temperature": "#A53A27",
        "efficiency": "#136259",
    },
    verdict={
        "holds": "#1F7A5A",
        "fails": "#B23A2B",
        "too close to call": "#A66F00",
        "not tested": "#7C8A91",
        "no claim": "#7C8A91",
    },
    energised={"nothing": "#ffffff", "input": "#d3dadc", "input and load": "#97a3a8"},
    doubt_ground="#fdf4e3",
    doubt_edge="#d9b25f",
    doubt_ink="#6b4700",
    alarm="#a02818",
    alarm_ground="#fbeae7",
    large_weight=500,
)

DARK = Theme(
    name="dark",
    ground="#14191b",
    paper="#1c2326",
    strip="#242d31",
    spine="#0d1113",
    spine_ink="#d6dcda",
    line="#38444a",
    zinc="#4f5d63",
    zinc_light="#2b3539",
    edge="#6c7a80",
    ink="#d6dcda",
    ink2="#9aa7ab",
    chosen="#283236",
    focus="#d6dcda",
    button="#ccd3d2",
    button_ink="#14191b",
    hue={
        "voltage": "#97a4f3",
        "current": "#eea05d",
        "power": "#e08ac1",
        "temperature": "#ec7c6f",
        "efficiency": "#6dc3b9",
    },
    text={
        "voltage": "#97a4f3",
        "current": "#eea05d",
        "power": "#e08ac1",
        "temperature": "#ec7c6f",
        "efficiency": "#6dc3b9",
    },
    verdict={
        "holds": "#66c093",
        "fails": "#ed756c",
        "too close to call": "#e1b75c",
        "not tested": "#95a1a6",
        "no claim": "#95a1a6",
    },
    energised={"nothing": "#1c2326", "input": "#39464b", "input and load": "#7f8f95"},
    doubt_ground="#2a2418",
    doubt_edge="#7d6427",
    doubt_ink="#e9c878",
    alarm="#f0877c",
    alarm_ground="#33201e",
    large_weight=400,
)

LIGHT_CONTRAST = replace(
    LIGHT, name="light, high contrast", ground="#ffffff", strip="#eef0f0", spine="#000000", spine_ink="#ffffff",
    line="#4e5b61", zinc="#8d9a9f", zinc_light="#d3dadc", edge="#000000", ink="#000000", ink2="#232c30",
    focus="#000000", button="#000000",
    hue={"voltage": "#27357d", "current": "#7a3a06", "power": "#6b1f50", "temperature": "#7f2417",
         "efficiency": "#0a4a42"},
    text={"voltage": "#27357d", "current": "#6e3304", "power": "#6b1f50", "temperature": "#7f2417",
          "efficiency": "#0a4a42"},
    verdict={"holds": "#0b5236", "fails": "#8a2014", "too close to call": "#694500", "not tested": "#3c474c",
             "no claim": "#3c474c"},
    doubt_ground="#ffffff", doubt_edge="#694500", doubt_ink="#3d2900", alarm="#7c1408", alarm_ground="#ffffff",
)  # fmt: skip
DARK_CONTRAST = replace(
    DARK, name="dark, high contrast", ground="#000000", paper="#000000", strip="#0b0f10", spine="#000000",
    spine_ink="#ffffff", line="#97a4a9", zinc="#6c7a80", zinc_light="#28333a", edge="#ffffff", ink="#ffffff",
    ink2="#d0d8da", chosen="#101718", focus="#ffffff", button="#ffffff", button_ink="#000000",
    hue={"voltage": "#c3ccff", "current": "#ffc089", "power": "#ffb3de", "temperature": "#ffb0a6",
         "efficiency": "#9be8de"},
    text={"voltage": "#c3ccff", "current": "#ffc089", "power": "#ffb3de", "temperature": "#ffb0a6",
          "efficiency": "#9be8de"},
    verdict={"holds": "#8fe6b8", "fails": "#ffa79f", "too close to call": "#ffd98a", "not tested": "#c3cdd1",
             "no claim": "#c3cdd1"},
    doubt_ground="#000000", doubt_edge="#e9c878", doubt_ink="#ffe3a3", alarm="#ffb3aa", alarm_ground="#000000",
)  # fmt: skip
OTHER = {LIGHT.name: DARK, DARK.name: LIGHT, LIGHT_CONTRAST.name: DARK_CONTRAST, DARK_CONTRAST.name: LIGHT_CONTRAST}

_current = LIGHT


def theme_for(dim: bool, contrast: bool) -> Theme:
    """For a dim lab, or for who needs more contrast than is calm."""
    if contrast:
        return DARK_CONTRAST if dim else LIGHT_CONTRAST
    return DARK if dim else LIGHT


def theme() -> Theme:
    """The theme in force."""
    return _current


def _application() -> QApplication:
    app = QApplication.instance()
    if not isinstance(app, QApplication):
        raise TypeError("there is no application with windows yet")
    return app


def use_theme(chosen: Theme) -> None:
    """Put a theme in force; widgets are told by a change of palette."""
    global _current  # the one place that holds which theme is in force
    _current = chosen
    app = _application()
    app.setStyleSheet("")  # from one sheet to another each widget is styled anew once for every widget around it
    palette = QPalette()
    for role, name in (
        (QPalette.ColorRole.Window, "ground"),
        (QPalette.ColorRole.Base, "paper"),
        (QPalette.ColorRole.AlternateBase, "chosen"),
        (QPalette.ColorRole.Button, "paper"),
        (QPalette.ColorRole.WindowText, "ink"),
        (QPalette.ColorRole.Text, "ink"),
        (QPalette.ColorRole.ButtonText, "ink"),
        (QPalette.ColorRole.PlaceholderText, "ink2"),
        (QPalette.ColorRole.Highlight, "zinc"),
        (QPalette.ColorRole.HighlightedText, "ink"),
    ):
        palette.setColor(role, QColor(getattr(chosen, name)))
    app.setPalette(palette)
    app.setStyleSheet(stylesheet(chosen))


def load_fonts() -> None:
    """Register Lato from the package; figures are tabular."""
    folder = resources.files("zincsmith.ui") / "fonts"
    for file in folder.iterdir():
        if file.name.endswith(".ttf"):
            QFontDatabase.addApplicationFontFromData(file.read_bytes())
    app = _application()
    app.setFont(font(13))


def font(pixels: int, weight: int = 400) -> QFont:
    """Lato with tabular figures, sized in pixels at 100 %."""
    made = QFont("Lato")
    made.setPixelSize(pixels)
    made.setWeight(QFont.Weight(weight))
    made.setFeature(QFont.Tag("tnum"), 1)
    return made


def stylesheet(t: Theme) -> str:
    """Form and table widgets in the house's hairlines."""
    return f"""
    QMainWindow, QWidget#ground {{ background: {t.ground}; }}
    QWidget {{ color: {t.ink}; }}
    QFrame#paper {{ background: {t.paper}; border: 1px solid {t.line}; border-radius: 3px; }}
    QFrame#yourturn {{ background: {t.paper}; border: 2px solid {t.ink}; border-left: 8px solid {t.ink};
                       border-radius: 3px; }}
    QFrame#doubt {{ background: {t.doubt_ground}; border: 1px solid {t.doubt_edge}; border-radius: 3px; }}
    QFrame#alarm {{ background: {t.alarm_ground}; border: 2px solid {t.alarm}; border-radius: 3px; }}
    QLabel {{ background: transparent; }}
    QLabel#second {{ color: {t.ink2}; }}
    QLabel#problem {{ color: {t.alarm}; }}
    QLabel#doubtink {{ color: {t.doubt_ink}; }}
    QLineEdit, QComboBox {{ background: {t.paper}; color: {t.ink}; border: 1px solid {t.edge}; border-radius: 3px;
                 padding: 3px 6px; selection-background-color: {t.zinc}; selection-color: {t.ink}; }}
    QLineEdit:focus, QComboBox:focus {{ border: 2px solid {t.focus}; padding: 2px 5px; }}
    QLineEdit[lit="true"] {{ background: {t.chosen}; }}
    QLineEdit[wrong="true"] {{ border: 2px solid {t.alarm}; padding: 2px 5px; }}
    QLineEdit:disabled {{ color: {t.ink2}; }}
    QComboBox::drop-down {{ border: 0; width: 20px; }}
    QComboBox QAbstractItemView {{ background: {t.paper}; color: {t.ink}; border: 1px solid {t.edge};
                 selection-background-color: {t.zinc}; selection-color: {t.ink}; }}
    QPushButton {{ background: {t.paper}; color: {t.ink}; border: 1px solid {t.edge}; border-radius: 3px;
                   padding: 5px 12px; }}
    QPushButton:hover {{ background: {t.chosen}; }}
    QPushButton:focus {{ border: 2px solid {t.focus}; padding: 4px 11px; }}
    QPushButton:disabled {{ color: {t.ink2}; border-color: {t.line}; }}
    QPushButton#main {{ background: {t.button}; color: {t.button_ink}; border-color: {t.button}; }}
    QPushButton#main:disabled {{ background: {t.strip}; color: {t.ink2}; border-color: {t.line}; }}
    QPushButton#main:focus {{ border: 2px solid {t.edge}; }}
    QPushButton:checked {{ background: {t.chosen}; border: 2px solid {t.ink}; padding: 4px 11px; }}
    QPushButton#segment {{ border-radius: 0; padding: 4px 8px; }}
    QPushButton#segment[first="false"] {{ border-left: 0; }}
    QPushButton#segment:checked {{ background: {t.button}; color: {t.button_ink}; border: 1px solid {t.button}; }}
    QPushButton#segment:focus {{ border: 2px solid {t.focus}; padding: 3px 7px; }}
    QPushButton#segment:checked:focus {{ border: 2px solid {t.edge}; }}
    QCheckBox::indicator {{ width: 18px; height: 18px; border: 2px solid {t.ink}; border-radius: 3px;
                           background: {t.paper}; }}
    QCheckBox::indicator:checked {{ background: {t.chosen}; }}
    QCheckBox:focus {{ border-bottom: 2px solid {t.focus}; }}
    QCheckBox {{ spacing: 10px; padding: 2px 0; }}
    QScrollArea {{ border: 0; background: transparent; }}
    QStackedWidget#stations > QScrollArea, QStackedWidget#stations > QScrollArea > QWidget {{ background: {t.ground}; }}
    QScrollArea > QWidget > QWidget#inside, QWidget#clear {{ background: transparent; }}
    QTreeWidget {{ background: {t.paper}; border: 0; color: {t.ink}; }}
    QTreeWidget::item {{ padding: 2px 3px; border-bottom: 1px solid {t.zinc_light}; }}
    QListWidget {{ background: {t.paper}; border: 1px solid {t.line}; color: {t.ink}; outline: 0; }}
    QListWidget::item {{ padding: 5px 9px; }}
    QListWidget::item:selected {{ background: {t.chosen}; color: {t.ink}; }}
    QTreeWidget::item:selected {{ background: {t.chosen}; color: {t.ink}; }}
    QTableWidget {{ background: {t.paper}; border: 0; gridline-color: {t.line}; }}
    QTableWidget::item {{ padding: 2px 3px; }}
    QTableWidget::item:focus {{ background: {t.chosen}; border: 1px solid {t.edge}; color: {t.ink}; }}
    QTableWidget::item:selected {{ background: {t.chosen}; color: {t.ink}; }}
    QHeaderView::section {{ background: {t.paper}; color: {t.ink2}; border: 0; border-bottom: 1px solid {t.line};
                            padding: 3px 6px; }}
    QToolTip {{ background: {t.paper}; color: {t.ink}; border: 1px solid {t.edge}; }}
    QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
    QScrollBar:horizontal {{ background: transparent; height: 10px; margin: 0; }}
    QScrollBar::handle {{ background: {t.zinc}; border-radius: 3px; min-height: 24px; min-width: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
    """
