"""The report: Jinja2 templates and Matplotlib figures, one self-contained HTML file."""
