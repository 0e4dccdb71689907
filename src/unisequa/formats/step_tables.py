"""A template's steps as CSV and XLSX, and its network as GraphML."""

from __future__ import annotations

import csv
import io
import xml.etree.ElementTree as ET

from unisequa.core.design.fields.entries import field_text
from unisequa.core.design.rows import rows
from unisequa.core.design.step_table import header, table_rows
from unisequa.core.documents.template import Template
from unisequa.formats.plan_tables import text_cell

_WIDTHS = {"Step": 44, "Instructions": 60, "Follows": 28, "Due": 18, "Key": 18}


def steps_csv(template: Template) -> str:
    """The steps as CSV, one a row; read back in it changes nothing."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(header())
    for row in table_rows(template):
        writer.writerow([text_cell(cell) for cell in row])
    return out.getvalue()


def steps_xlsx(template: Template) -> bytes:
    """The steps as a workbook of one sheet, every cell as text; read back in it changes nothing."""
    from openpyxl import Workbook
    from openpyxl.styles import Alignment, Font
    from openpyxl.utils import get_column_letter

    book = Workbook()
    book.remove(book.worksheets[0])
    sheet = book.create_sheet("Steps")
    for r, row in enumerate([header(), *table_rows(template)], 1):
        for c, text in enumerate(row, 1):
            cell = sheet.cell(r, c)
            if text:
                cell.value = text
                cell.data_type = "s"  # never a formula
            cell.alignment = Alignment(vertical="top", wrap_text=header()[c - 1] == "Instructions")
    for c, name in enumerate(header(), 1):
        sheet.cell(1, c).font = Font(bold=True)
        sheet.column_dimensions[get_column_letter(c)].width = _WIDTHS.get(name, 13)
    sheet.freeze_panes = "C2"
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


_NODE = (("title", "string"), ("phase", "string"), ("role", "string"), ("duration", "string"), ("when", "string"))
_EDGE = (("type", "string"), ("lag", "string"), ("unit", "string"))


def network_graphml(template: Template) -> str:
    """The steps and links as GraphML 1.0 (graphml.graphdrawing.org), for programs that draw and measure networks."""
    root = ET.Element("graphml", {"xmlns": "http://graphml.graphdrawing.org/xmlns"})
    for kind, fields in (("node", _NODE), ("edge", _EDGE)):
        for name, of in fields:
            ET.SubElement(root, "key", {"id": f"{kind}-{name}", "for": kind, "attr.name": name, "attr.type": of})
    graph = ET.SubElement(root, "graph", {"id": "template", "edgedefault": "directed"})
    for row in rows(template):
        node = ET.SubElement(graph, "node", {"id": row.step.key})
        for name, _ in _NODE:
            text = field_text(template, row.step, name)
            if text:
                ET.SubElement(node, "data", {"key": f"node-{name}"}).text = text
    known = {step.key for step in template.steps}
    for source in sorted({k.from_ for k in template.links} | {k.to for k in template.links}):
        if source not in known:
            ET.SubElement(graph, "node", {"id": source})
    for i, link in enumerate(template.links):
        edge = ET.SubElement(graph, "edge", {"id": f"link-{i}", "source": link.from_, "target": link.to})
        for name, value in (("type", link.type), ("lag", str(link.lag)), ("unit", link.unit)):
            ET.SubElement(edge, "data", {"key": f"edge-{name}"}).text = value
    ET.indent(root)
    return '<?xml version="1.0" encoding="UTF-8"?>\n' + ET.tostring(root, encoding="unicode") + "\n"
