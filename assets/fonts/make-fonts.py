#!/usr/bin/env python3
"""Makes the shipped fonts from Debian's fonts-inter (SIL Open Font Licence 1.1).

Qt 6.4 cannot switch on an OpenType feature, so the tabular figures ("tnum") are baked in, and
the glyphs are cut down to Latin, Greek, Cyrillic, punctuation and symbols. The family is renamed.
Needs: apt install fonts-inter; pip install fonttools.
"""
from fontTools import subset
from fontTools.ttLib import TTFont

SOURCE = "/usr/share/fonts/opentype/inter/Inter-{}.otf"
RANGES = [(0x20, 0x24F), (0x2B0, 0x2FF), (0x370, 0x3FF), (0x400, 0x45F), (0x2000, 0x206F),
          (0x2070, 0x209F), (0x20A0, 0x20BF), (0x2100, 0x214F), (0x2190, 0x21FF), (0x2200, 0x22FF),
          (0x25A0, 0x25FF), (0x2600, 0x26FF), (0x2713, 0x2717)]

for style in ("Regular", "Medium", "SemiBold"):
    font = TTFont(SOURCE.format(style))
    options = subset.Options()
    options.layout_features = ["kern", "mark", "mkmk", "ccmp", "locl", "tnum"]
    options.name_IDs = ["*"]
    options.notdef_outline = True
    cutter = subset.Subsetter(options)
    cutter.populate(unicodes=[c for a, b in RANGES for c in range(a, b + 1)])
    cutter.subset(font)
    tabular = {}
    for record in font["GSUB"].table.FeatureList.FeatureRecord:
        if record.FeatureTag == "tnum":
            for index in record.Feature.LookupListIndex:
                for table in font["GSUB"].table.LookupList.Lookup[index].SubTable:
                    table = getattr(table, "ExtSubTable", table)
                    tabular.update(getattr(table, "mapping", {}))
    for table in font["cmap"].tables:
        for code, glyph in list(table.cmap.items()):
            if glyph in tabular and 0x2B <= code <= 0x3A:
                table.cmap[code] = tabular[glyph]
    for name in font["name"].names:
        if name.nameID in (1, 3, 4, 6, 16):
            text = name.toUnicode()
            new = text.replace("Inter", "Narrow Knee Text" if name.nameID != 6 else "NarrowKneeText")
            font["name"].setName(new, name.nameID, name.platformID, name.platEncID, name.langID)
    font.save(f"NarrowKneeText-{style}.otf")
