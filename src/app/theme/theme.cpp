#include "theme.h"

#include "app/theme/plain_words.h"
#include "app/theme/quantity_field.h"

#include <QApplication>
#include <QFontDatabase>
#include <QPalette>
#include <QStyleFactory>
#include <cmath>

// The resources live in a static library: they are linked only when named (outside any namespace).
static void initResources() {
    Q_INIT_RESOURCE(assets);
}

namespace nk {

const Theme& Theme::paper() {
    static const Theme t = [] {
        Theme p;
        p.name = "paper";
        p.window = "#f7f5f0", p.panel = "#efece5", p.card = "#ffffff", p.plot = "#fffefc";
        p.text = "#22211e", p.muted = "#5b5952", p.line = "#d9d4c8", p.accent = "#0f5c62",
        p.onAccent = "#ffffff";
        p.hazard = "#a3271b", p.selection = "#dfeae8";
        p.voltage = "#0f5c62", p.current = "#9a5118", p.temperature = "#79367f",
        p.charge = "#475878";
        p.rest = "#e7e3da", p.chargeBlock = "#cfe2df", p.voltageBlock = "#e8ddc0",
        p.dischargeBlock = "#f0d5c4", p.otherBlock = "#ddd8e8";
        return p;
    }();
    return t;
}

const Theme& Theme::nightBench() {
    static const Theme t = [] {
        Theme n;
        n.name = "night bench";
        n.dark = true;
        n.window = "#171a1b", n.panel = "#1d2122", n.card = "#25292b", n.plot = "#1b1f20";
        n.text = "#ece8df", n.muted = "#aaa69b", n.line = "#3a4042", n.accent = "#74c9c6",
        n.onAccent = "#10292a";
        n.hazard = "#ff9486", n.selection = "#28403f";
        n.voltage = "#74c9c6", n.current = "#e6a56f", n.temperature = "#d3a0da",
        n.charge = "#a6b6da";
        n.rest = "#2e3335", n.chargeBlock = "#204644", n.voltageBlock = "#4a4128",
        n.dischargeBlock = "#54362a", n.otherBlock = "#3a3550";
        return n;
    }();
    return t;
}

namespace {

const Theme* g_current = nullptr;
QString g_family;

double linear(double c) {
    return c <= 0.03928 ? c / 12.92 : std::pow((c + 0.055) / 1.055, 2.4);
}
double luminance(const QColor& c) {
    return 0.2126 * linear(c.redF()) + 0.7152 * linear(c.greenF()) + 0.0722 * linear(c.blueF());
}

}  // namespace

double contrastRatio(const QColor& a, const QColor& b) {
    const double la = luminance(a);
    const double lb = luminance(b);
    return (std::max(la, lb) + 0.05) / (std::min(la, lb) + 0.05);
}

const Theme& currentTheme() {
    return g_current != nullptr ? *g_current : Theme::paper();
}

QString loadFonts() {
    if (!g_family.isEmpty()) return g_family;
    initResources();
    g_family = "sans-serif";
    for (const char* style : {"Regular", "Medium", "SemiBold"}) {
        const int id =
            QFontDatabase::addApplicationFont(QString(":/fonts/NarrowKneeText-%1.otf").arg(style));
        const QStringList families = QFontDatabase::applicationFontFamilies(id);
        if (!families.isEmpty() && g_family == "sans-serif") g_family = families.first();
    }
    return g_family;
}

void applyTheme(QApplication& app, ThemeChoice choice) {
    calmFields(app);
    PlainWords::install();
    static const bool systemDark =
        QApplication::palette().color(QPalette::Window).lightness() < 110;
    const bool dark =
        choice == ThemeChoice::NightBench || (choice == ThemeChoice::System && systemDark);
    g_current = dark ? &Theme::nightBench() : &Theme::paper();
    const Theme& t = *g_current;
    QApplication::setStyle(QStyleFactory::create("Fusion"));
    QFont font(loadFonts());
    font.setPixelSize(13);
    QApplication::setFont(font);
    QPalette p;
    p.setColor(QPalette::Window, t.window);
    p.setColor(QPalette::WindowText, t.text);
    p.setColor(QPalette::Base, t.card);
    p.setColor(QPalette::AlternateBase, t.panel);
    p.setColor(QPalette::Text, t.text);
    p.setColor(QPalette::Button, t.panel);
    p.setColor(QPalette::ButtonText, t.text);
    p.setColor(QPalette::ToolTipBase, t.card);
    p.setColor(QPalette::ToolTipText, t.text);
    p.setColor(QPalette::PlaceholderText, t.muted);
    p.setColor(QPalette::Highlight, t.accent);
    p.setColor(QPalette::HighlightedText, t.onAccent);
    p.setColor(QPalette::Link, t.accent);
    p.setColor(QPalette::Mid, t.line);
    QApplication::setPalette(p);
    app.setStyleSheet(t.styleSheet());
}

QString Theme::styleSheet() const {
    QString css = R"(
QToolTip { background: @card; color: @text; border: 1px solid @line; padding: 4px 6px; }
#stationBar { background: @card; border-bottom: 1px solid @line; }
#shelf, #findings { background: @panel; }
#shelf { border-right: 1px solid @line; }
#findings { border-left: 1px solid @line; }
#statusLine { background: @card; border-top: 1px solid @line; }
QScrollArea { background: transparent; border: none; }
#scrollBody { background: transparent; }
QLabel#muted, QLabel[role="muted"] { color: @muted; }
QLabel[role="small"] { color: @muted; font-size: 12px; }
QLabel[role="hazard"] { color: @hazard; font-weight: 600; }
QLabel[role="figures"] { font-size: 12px; }
QLabel[role="title"] { font-size: 15px; font-weight: 600; }
QLabel[role="heading"] { font-size: 14px; font-weight: 600; }
QFrame[role="card"] { background: @card; border: 1px solid @line; border-radius: 7px; }
QFrame[role="card"][selected="true"] { border: 2px solid @accent; }
QFrame[role="card"][hazard="true"] { border: 2px solid @hazard; }
QLineEdit, QComboBox, QSpinBox, QDoubleSpinBox, QDateTimeEdit { background: @card; color: @text; border: 1px solid @line; border-radius: 5px; padding: 5px 7px; selection-background-color: @accent; selection-color: @onAccent; }
QPlainTextEdit, QListWidget { background: @card; color: @text; border: 1px solid @line; border-radius: 5px; selection-background-color: @accent; selection-color: @onAccent; }
QPlainTextEdit:focus, QListWidget:focus { border: 2px solid @accent; }
QComboBox[role="compact"], QSpinBox[role="compact"], QDoubleSpinBox[role="compact"], QDateTimeEdit[role="compact"] { padding: 3px 3px; }
QLineEdit:disabled, QSpinBox:disabled, QDoubleSpinBox:disabled { background: @panel; color: @muted; }
QLineEdit:focus, QComboBox:focus, QSpinBox:focus, QDoubleSpinBox:focus, QDateTimeEdit:focus { border: 2px solid @accent; padding: 4px 6px; }
QComboBox[role="compact"]:focus, QSpinBox[role="compact"]:focus, QDoubleSpinBox[role="compact"]:focus, QDateTimeEdit[role="compact"]:focus { padding: 2px 2px; }
QComboBox::drop-down, QDateTimeEdit::drop-down { border: none; width: 18px; subcontrol-origin: padding; subcontrol-position: center right; }
QComboBox::down-arrow, QDateTimeEdit::down-arrow { image: url(:/icons/@chevron.svg); width: 10px; height: 10px; }
QComboBox QAbstractItemView { background: @card; color: @text; border: 1px solid @line; selection-background-color: @selection; selection-color: @text; }
QSpinBox::up-button, QDoubleSpinBox::up-button { border: none; width: 18px; subcontrol-position: top right; }
QSpinBox::down-button, QDoubleSpinBox::down-button { border: none; width: 18px; subcontrol-position: bottom right; }
QSpinBox::up-arrow, QDoubleSpinBox::up-arrow { image: url(:/icons/@chevronUp.svg); width: 9px; height: 9px; }
QSpinBox::down-arrow, QDoubleSpinBox::down-arrow { image: url(:/icons/@chevron.svg); width: 9px; height: 9px; }
QPushButton { background: @card; color: @text; border: 1px solid @line; border-radius: 5px; padding: 6px 12px; }
QPushButton:hover { background: @selection; }
QPushButton:focus { border: 2px solid @accent; padding: 5px 11px; }
QPushButton[role="primary"] { background: @accent; color: @onAccent; border: 1px solid @accent; font-weight: 600; }
QPushButton[role="primary"]:focus { border: 2px solid @text; }
QPushButton[role="primary"]:disabled { background: @line; color: @muted; border: 1px solid @line; }
QPushButton[role="link"] { background: transparent; color: @accent; border: 1px solid transparent; padding: 2px 3px; font-weight: 500; text-align: left; }
QPushButton[role="link"]:hover { text-decoration: underline; }
QPushButton[role="link"]:focus { border: 1px solid @accent; border-radius: 4px; }
QPushButton[role="battery"] { background: transparent; color: @text; border: 1px solid transparent; padding: 1px 2px; font-weight: 600; text-align: left; }
QPushButton[role="battery"]:hover { text-decoration: underline; }
QPushButton[role="battery"]:focus { border: 1px solid @accent; border-radius: 4px; }
QPushButton[role="battery"]:disabled { color: @muted; }
QPushButton[role="row"] { background: transparent; border: 1px solid transparent; border-radius: 4px; padding: 4px 6px; text-align: left; color: @text; }
QPushButton[role="row"]:hover { background: @selection; }
QPushButton[role="row"]:checked { background: @selection; font-weight: 600; }
QPushButton[role="row"]:focus { border: 1px solid @accent; }
QPushButton[role="station"] { background: transparent; border: none; border-bottom: 3px solid transparent; border-radius: 0; padding: 0; text-align: left; }
QPushButton[role="station"]:hover { background: @panel; }
QPushButton[role="station"]:checked { background: @selection; border-bottom: 3px solid @accent; }
QPushButton[role="station"]:focus { border: 2px solid @accent; }
QPushButton[role="choice"] { padding: 2px 9px; font-size: 12px; color: @muted; }
QPushButton[role="choice"]:checked { background: @selection; color: @text; font-weight: 600; border-color: @accent; }
QPushButton[role="choice"]:focus { border: 2px solid @accent; padding: 1px 8px; }
QMenu { background: @card; color: @text; border: 1px solid @line; padding: 4px; }
QMenu::item { padding: 6px 22px 6px 14px; border-radius: 4px; }
QMenu::item:selected { background: @selection; color: @text; }
QMenu::separator { height: 1px; background: @line; margin: 4px 8px; }
QProgressBar { background: @panel; border: 1px solid @line; border-radius: 4px; height: 10px; text-align: center; }
QProgressBar::chunk { background: @accent; border-radius: 3px; }
QTableWidget, QTableView { background: @card; alternate-background-color: @panel; gridline-color: @line; border: 1px solid @line; border-radius: 5px; }
QTreeWidget { background: @card; border: 1px solid @line; border-radius: 5px; }
QTreeView { outline: 0; }
QTreeView::item { padding: 4px 6px; height: 20px; border: 0; }
QTreeView::item:selected { background: @selection; color: @text; padding: 4px 6px; border: 0; }
QTextBrowser { background: @card; border: 1px solid @line; border-radius: 5px; padding: 6px; }
QHeaderView::section { background: @panel; color: @muted; border: none; border-bottom: 1px solid @line; padding: 4px 6px; }
QScrollBar:vertical { background: transparent; width: 10px; margin: 0; }
QScrollBar::handle:vertical { background: @line; border-radius: 4px; min-height: 30px; margin: 1px; }
QScrollBar::add-line, QScrollBar::sub-line { height: 0; width: 0; }
QScrollBar::add-page, QScrollBar::sub-page { background: transparent; }
#inlineBar { background: @selection; border: 1px solid @accent; border-radius: 6px; }
#inlineBar[hazard="true"] { border: 2px solid @hazard; background: @card; }
)";
    css.replace("@chevronUp", dark ? "chevron-up-light" : "chevron-up-dark");
    css.replace("@chevron", dark ? "chevron-light" : "chevron-dark");
    const std::pair<const char*, QColor> names[] = {
        {"@window", window}, {"@panel", panel},        {"@card", card},         {"@text", text},
        {"@muted", muted},   {"@line", line},          {"@onAccent", onAccent}, {"@accent", accent},
        {"@hazard", hazard}, {"@selection", selection}};
    for (const auto& [key, colour] : names) css.replace(key, colour.name());
    return css;
}

}  // namespace nk
