# Makes the small files of this folder that a text editor cannot: spreadsheets (openpyxl), MAT-files
# (scipy), packed logs. Run with Debian's python3 (python3-openpyxl, python3-scipy). The values are a
# made-up discharge; its charge is 0.5 Ah out.
import datetime
import gzip
import zipfile

import numpy as np
import openpyxl
import scipy.io

t = np.arange(0, 3661, 60.0)
i = np.where((t > 0) & (t <= 3600), -0.5, 0.0)
v = np.where(i < 0, 3.9 - 0.7 * t / 3600, 3.95)

book = openpyxl.Workbook()
sheet = book.active
sheet.append(["Bench 4"])
sheet.append(["Date and time", "Voltage (V)", "Current (mA)", "Temp (°C)"])
start = datetime.datetime(2026, 11, 14, 18, 0)
for k in range(len(t)):
    sheet.append([start + datetime.timedelta(seconds=float(t[k])), float(v[k]), float(1000 * i[k]), 21.5])
book.save("discharge.xlsx")

rows = "".join(
    "<table:table-row>"
    + "".join(f'<table:table-cell office:value-type="float" office:value="{x:.6g}"/>' for x in row)
    + "</table:table-row>"
    for row in zip(t, v, i)
)
head = "".join(
    f'<table:table-cell office:value-type="string"><text:p>{name}</text:p></table:table-cell>'
    for name in ("time s", "voltage V", "current A")
)
content = (
    '<?xml version="1.0" encoding="UTF-8"?><office:document-content '
    'xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" '
    'xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" '
    'xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0" office:version="1.2"><office:body>'
    f'<office:spreadsheet><table:table table:name="log"><table:table-row>{head}</table:table-row>{rows}'
    "</table:table></office:spreadsheet></office:body></office:document-content>"
)
with zipfile.ZipFile("discharge.ods", "w", zipfile.ZIP_DEFLATED) as z:
    z.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet", zipfile.ZIP_STORED)
    z.writestr("content.xml", content)
    z.writestr(
        "META-INF/manifest.xml",
        '<?xml version="1.0"?><manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0">'
        '<manifest:file-entry manifest:full-path="/" manifest:media-type="application/vnd.oasis.opendocument.spreadsheet"/>'
        '<manifest:file-entry manifest:full-path="content.xml" manifest:media-type="text/xml"/></manifest:manifest>',
    )

scipy.io.savemat("discharge.mat", {"time_s": t, "voltage_V": v, "current_A": i, "note": "made up"})
scipy.io.savemat("discharge-struct.mat", {"log": {"time": t, "voltage": v, "current": i}}, do_compression=True)

text = "time_s,voltage_V,current_A\n" + "".join(f"{a:.0f},{b:.4f},{c:.3f}\n" for a, b, c in zip(t, v, i))
with open("discharge.csv", "w") as f:
    f.write(text)
with gzip.GzipFile("discharge.csv.gz", "wb", mtime=0) as f:
    f.write(text.encode())
with gzip.GzipFile("bomb.csv.gz", "wb", mtime=0) as f:
    for _ in range(96):
        f.write(b"0" * (1 << 20))
