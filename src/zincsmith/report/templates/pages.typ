// How a report looks on pages. What it says is put behind this as calls of what stands here.
#let ink = rgb("#1b2226")
#let ink2 = rgb("#4e5b61")
#let rule = 0.5pt + rgb("#c6cdcf")

#let j(..parts) = parts.pos().join()
#let quiet(body) = text(fill: ink2, body)
#let big(body) = text(size: 1.15em, weight: "bold", body)
#let mark(svg) = box(baseline: 1.5pt, pdf.artifact(image(bytes(svg), format: "svg", height: 7.5pt)))
#let ruler(svg, alt) = box(image(bytes(svg), format: "svg", width: 142pt, alt: alt))
#let picture(svg, alt) = block(above: 4pt, image(bytes(svg), format: "svg", width: 100%, alt: alt))
#let counted(body) = box(inset: (right: 14pt), body)
#let para(body) = block(above: 3.5pt, below: 3.5pt, body)
#let boxed(body, stroke: 0.6pt + rgb("#d9b25f"), fill: rgb("#fdf4e3"), color: rgb("#6b4700"), size: 1em) = block(
  width: 100%, inset: (x: 8pt, y: 5pt), radius: 2pt, stroke: stroke, fill: fill, breakable: false,
  above: 5pt, below: 5pt, text(fill: color, size: size, body))
#let alarm(body) = boxed(body, stroke: 1.5pt + rgb("#a02818"), fill: rgb("#fbeae7"), color: ink)
#let changed(body) = boxed(strong(body), stroke: 2.2pt + rgb("#8b1a12"), fill: none, color: rgb("#8b1a12"), size: 1.5em)
#let seal(body) = block(above: 8pt, stroke: (left: 2pt + ink), inset: (left: 7pt, y: 2pt), body)
#let beside(..bodies) = grid(columns: bodies.pos().len() * (1fr,), gutter: 12pt, ..bodies.pos())
#let signed(..bodies) = block(above: 34pt, breakable: false, grid(columns: bodies.pos().len() * (1fr,), gutter: 28pt,
  ..bodies.pos().map(body => block(width: 100%, stroke: (top: 0.8pt + ink), inset: (top: 3pt), quiet(body)))))
#let two-columns(body) = text(size: 0.85em, columns(2, gutter: 16pt, body))
#let th(body) = quiet(text(size: 0.9em, body))
#let rows(widths, aligned, header, ..cells) = {
  let head = if header == none { () } else { (table.header(..header),) }
  table(columns: widths, align: aligned, stroke: (x, y) => (bottom: 0.5pt + rgb("#e6eaea")),
    inset: (x, y) => (left: if x == 0 { 0pt } else { 4pt }, right: 4pt, top: 2.4pt, bottom: 2.4pt), ..head, ..cells.pos())
}

#let report(title: "", footer: "", made: none, body) = {
  set document(title: title)
  set page(paper: "a4", margin: (x: 14mm, top: 16mm, bottom: 18mm), footer: context {
    set text(size: 7pt, fill: ink2)
    grid(columns: (1fr, auto), footer,
      "page " + str(counter(page).get().first()) + " of " + str(counter(page).final().first()))
  })
  set text(font: ("Lato", "DejaVu Sans Mono"), size: 8.2pt, fill: ink, lang: "en", number-width: "tabular")
  set par(leading: 0.52em)
  set block(spacing: 5pt)
  set table.cell(breakable: false)
  show heading: set text(weight: "bold")
  show heading.where(level: 1): set text(size: 17pt)
  show heading.where(level: 2): set text(size: 11.5pt)
  show heading.where(level: 3): set text(size: 9pt)
  show heading.where(level: 2): it => block(above: 15pt, below: 5pt, sticky: true, width: 100%, stroke: (bottom: rule),
    inset: (bottom: 3pt), it.body)
  show heading.where(level: 3): set block(above: 9pt, below: 4pt)
  show raw: set text(font: "DejaVu Sans Mono", size: 0.95em)
  body
}
