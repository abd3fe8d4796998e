#include "app/shell/help_page.h"

#include <QPushButton>
#include <QTextBrowser>
#include <QVBoxLayout>

namespace nk {

HelpPage::HelpPage(QWidget* parent) : QDialog(parent) {
    setObjectName("helpPage");
    setWindowTitle(tr("Curve: what happened?"));
    resize(600, 560);
    auto* box = new QVBoxLayout(this);
    auto* text = new QTextBrowser(this);
    text->setOpenLinks(false);
    text->setHtml(tr(
        "<h2>Curve: what happened?</h2>"
        "<p>The lanes show voltage, current and temperature on one time axis. Current above zero "
        "charges the battery, below zero discharges it. "
        "The ribbon under the lanes names each step.</p>"
        "<p><b>Constant current, constant voltage.</b> A lithium charger first holds the current "
        "and lets the voltage rise. When the voltage reaches its set value, it holds that and the "
        "current falls. "
        "The turn from one to the other is the <b>knee</b>; the falling current is the "
        "<b>taper</b>.</p>"
        "<p><b>Delivered capacity</b> is the charge that a discharge took out, in ampere-hours. It "
        "depends on the rate, the cut-off voltage and the temperature, so the card names them. "
        "It is a <b>health</b> only when the battery was full at the start and went down to its "
        "floor.</p>"
        "<p><b>±</b> is the expanded uncertainty: the true value lies within it about 19 times out "
        "of 20, as far as the instrument keeps what is assumed of it (0.5 % of the reading and one "
        "step of the display).</p>"
        "<p><b>C-rate</b> is the current divided by the rated capacity: 1C empties the label's "
        "capacity in an hour, 0.2C in five.</p>"
        "<h3>Keys</h3>"
        "<p>Wheel zooms, drag pans. With the lanes in focus: Home shows all, + and − zoom, arrows "
        "pan, A and B set the two pins at the pointer. "
        "With the ribbon in focus: arrows select a step, Enter zooms to it. Ctrl+O opens logs, "
        "Ctrl+V pastes a table, Ctrl+P saves a bench sheet, Ctrl+B hides the shelf, Alt+1 goes to "
        "this station.</p>"
        "<h3>Care</h3>"
        "<p>Never leave charging unattended. A swollen, dented, hot or torn cell is out of use: no "
        "test; recycle it by the local rules. "
        "The maker's data sheet wins over every default of this program, and no program replaces a "
        "fuse or a protection circuit.</p>"));
    box->addWidget(text);
    auto* close = new QPushButton(tr("Close"), this);
    close->setDefault(true);
    box->addWidget(close, 0, Qt::AlignRight);
    connect(close, &QPushButton::clicked, this, &QDialog::accept);
}

}  // namespace nk
