"""The first page of the report before it leaves: verdicts, stops, open doubts, what was not tested."""

from __future__ import annotations

from html import escape

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QTextBrowser

from zincsmith.formats.words import counted, local_time, once_a_claim, untested_words
from zincsmith.judge.judging import JudgedRun
from zincsmith.model.finding import Verdict
from zincsmith.ui.theme import font, theme


class FirstPage(QTextBrowser):
    """A page to read, not to edit."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("First page of the report")
        self.setFont(font(13))
        self.setOpenLinks(False)
        self.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByKeyboard)

    def show_run(self, run: JudgedRun | None) -> None:
        at = self.verticalScrollBar().value()
        self.setHtml(_page(run))
        self.verticalScrollBar().setValue(at)


def _page(run: JudgedRun | None) -> str:
    if run is None:
        return "<p>No run yet. A report tells of a run: go to Run and start one.</p>"
    unit, quiet = run.unit, theme().ink2
    ended = f", ended {local_time(run.row.ended)}" if run.row.ended else ", not ended"
    out = [
        f"<p style='font-size:17px'><b>{escape(f'{unit.maker} {unit.model}')}</b></p>",
        f"<p>{escape(unit.tag)}, {escape(unit.configuration)}</p>",
        f"<p style='color:{quiet}'>Run {run.row.id}, {escape(run.plan.name)}, began "
        f"{local_time(run.row.began, date=True)}{ended}. Operator: {escape(run.opened.operator)}.</p>",
        f"<p>{', '.join(f'<b>{run.count(v)}</b> {v.value}' for v in Verdict if run.count(v))}</p>",
    ]
    if run.rig.clock == "simulated" or run.rig.standin is not None:
        out.append("<p><b>Simulated bench.</b> These readings come from stand-in instruments, not from a unit.</p>")
    if run.unread_rules:
        out.append(f"<p><b>Limits not read against the document:</b> {escape(', '.join(run.unread_rules))}.</p>")
    if run.closed is None or run.closed.outcome != "complete" or not run.closed.safe:
        end = f"{run.closed.outcome}: {run.closed.why}" if run.closed is not None else "it has not ended"
        out.append(f"<p><b>This run is not complete.</b> {escape(end)}</p>")
    stops = [f"{escape(at)} <b>{escape(what)}</b> {escape(why)}" for at, what, why in run.stops]
    doubts = [f"<b>{escape(d.text)}</b> {escape(d.remedy)}" for d in run.doubts]
    missing = [
        f"{escape(j.claim.title)} {escape(j.claim.text)}: {escape(untested_words(j))}"
        for j in once_a_claim(j for j in run.judged if j.verdict is Verdict.NOT_TESTED)
        if j.claim is not None
    ]
    for heading, rows in (("stop", stops), ("open doubt", doubts), ("claim", missing)):
        after = " not tested" if heading == "claim" else ""
        title = f"{counted(len(rows), heading)}{after}" if rows else f"No {heading}{after or ''}"
        out.append(f"<p style='margin-top:10px'><b>{title}</b></p>")
        out += [f"<p style='margin:2px 0 4px 10px'>{row}</p>" for row in rows]
    return "".join(out)
