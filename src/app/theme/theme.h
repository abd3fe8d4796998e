// The two looks, "paper" and "night bench": one table of colours, from which the palette, the style
// sheet and the plots take theirs. Every text and line colour passes WCAG AA on its ground
// (tested).
#pragma once

#include <QColor>
#include <QString>

class QApplication;

namespace nk {

struct Theme {
    QString name;
    bool dark = false;
    QColor window, panel, card, plot;  // grounds, from back to front
    QColor text, muted, line, accent, onAccent, hazard, selection;
    QColor voltage, current, temperature, charge;                        // series
    QColor rest, chargeBlock, voltageBlock, dischargeBlock, otherBlock;  // step ribbon

    static const Theme& paper();
    static const Theme& nightBench();
    QString styleSheet() const;
};

enum class ThemeChoice { System, Paper, NightBench };

/// The look in force. Widgets that paint themselves read it in their paint event.
const Theme& currentTheme();
/// Applies palette, font and style sheet to the whole application.
void applyTheme(QApplication& app, ThemeChoice choice);
/// Registers the shipped fonts; returns the family's name.
QString loadFonts();

/// Contrast ratio of two colours after WCAG 2.1, 1.4.3.
double contrastRatio(const QColor& a, const QColor& b);

}  // namespace nk
