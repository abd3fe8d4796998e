#include "app/shell/key_sheet.h"

#include <QPushButton>
#include <QTextBrowser>
#include <QVBoxLayout>

namespace nk {

KeySheet::KeySheet(const std::vector<std::pair<QString, QString>>& actions, QWidget* parent)
    : QDialog(parent) {
    setObjectName("keySheet");
    setWindowTitle(tr("Keys"));
    resize(560, 640);
    QString html;
    const auto table = [&](const QString& head,
                           const std::vector<std::pair<QString, QString>>& rows) {
        html += "<p style=\"font-weight:600;font-size:14px\">" + head.toHtmlEscaped() +
                "</p><table cellspacing=0 cellpadding=3>";
        for (const auto& [name, keys] : rows)
            html += "<tr><td width=150 style=\"font-weight:600\">" + keys.toHtmlEscaped() +
                    "</td><td>" + name.toHtmlEscaped() + "</td></tr>";
        html += "</table>";
    };
    table(tr("Everywhere"), actions);
    table(tr("On the curve"), {{tr("show all"), tr("Home")},
                               {tr("nearer, further"), "+  −"},
                               {tr("to the left, to the right"), "←  →"},
                               {tr("pin A, pin B at the pointer"), "A  B"},
                               {tr("time or charge across"), "T"},
                               {tr("charge lane"), "C"}});
    table(tr("On the ribbon of steps"), {{tr("step before, step after"), "←  →"},
                                         {tr("show the step large"), tr("Enter")},
                                         {tr("cut the step in its middle"), "S"},
                                         {tr("join it with the next"), "J"},
                                         {tr("move its first edge"), ",  ."},
                                         {tr("its menu: cut, join, name"), tr("Menu key")}});
    table(tr("On the flags of Finish"), {{tr("flag above, flag below"), "↑  ↓"},
                                         {tr("move the flag"), "←  →"},
                                         {tr("move it finely"), tr("Shift and ←  →")}});
    auto* box = new QVBoxLayout(this);
    auto* text = new QTextBrowser(this);
    text->setObjectName("keyText");
    text->setHtml(html);
    box->addWidget(text, 1);
    auto* close = new QPushButton(tr("Close"), this);
    close->setDefault(true);
    box->addWidget(close, 0, Qt::AlignRight);
    connect(close, &QPushButton::clicked, this, &QDialog::accept);
}

}  // namespace nk
