"""The bar over the picture that is corrected: what is on screen, how it is looked at, and the verdict."""

from __future__ import annotations

from bruto.app.host import Host
from bruto.app.stage.stage_bar import KINDS, StageBar
from bruto.app.stage.verdict_buttons import VerdictButtons
from bruto.app.stage.versions_menu import VersionsMenu
from bruto.catalog import tr
from bruto.develop.source import Source
from bruto.session.viewport import Viewport


class CorrectBar(StageBar):
    """Buttons for fit, 1:1, before, beside, versions and tone by hand."""

    def __init__(self, host: Host, versions: VersionsMenu) -> None:
        super().__init__(tr("NOTHING OPEN"))
        self.fit = self.add(tr("Fit"), tr("Whole picture (F2)"), checkable=True)
        self.one = self.add("1:1", tr("One raw pixel per screen pixel (F2)"), checkable=True)
        self.before = self.add(tr("Before"), tr("Hold to see the picture before your corrections (F3)"))
        self.beside = self.add(tr("Beside"), tr("Before, or what you chose, in the left half (F4)"), checkable=True)
        self.versions = self.add(tr("Versions ▾"), tr("Save versions of this shot; choose what to compare with"))
        self.versions.setMenu(versions)
        self.tone = self.add(
            tr("Tone"), tr("Set tone in the picture: point at a tone and drag up or down (Alt+T)"), checkable=True
        )
        self.fit.setChecked(True)
        self.verdicts = VerdictButtons(self, host)

    def show_source(self, source: Source) -> None:
        """Say what the file holds."""
        w, h = source.size
        megapixels = w * h / 1e6
        digits = 0 if megapixels > 9.5 else 1
        self.facts.setText(tr("{mp:.{digits}f} MP {kind}", mp=megapixels, digits=digits, kind=KINDS[source.kind][1]))
        meta = source.meta
        self.facts.setToolTip(tr("{width} × {height} pixels in the file", width=meta.width, height=meta.height))

    def show_zoom(self, view: Viewport) -> None:
        """Mark fit or 1:1."""
        self.fit.setChecked(view.fit)
        self.one.setChecked(not view.fit and view.at_one)
