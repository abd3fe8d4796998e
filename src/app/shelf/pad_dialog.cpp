#include "app/shelf/pad_dialog.h"

#include <QDateTimeEdit>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QVBoxLayout>

#include "app/theme/theme.h"
#include "app/theme/word_label.h"

namespace nk {

PadDialog::PadDialog(const BatteryEntry& battery, QWidget* parent)
    : QDialog(parent), battery_(battery) {
    setObjectName("pad");
    setWindowTitle(tr("Readings pad"));
    setMinimumWidth(560);
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(18, 16, 18, 16);
    box->setSpacing(10);
    auto* intro = wordLabel(this);
    intro->setText(tr("What a display showed of %1: all of it in one line, in any order, "
                      "with its units.")
                       .arg(QString::fromStdString(battery.battery.name)));
    box->addWidget(intro);
    typed_ = new QLineEdit(this);
    typed_->setObjectName("padLine");
    typed_->setMaxLength(500);
    typed_->setPlaceholderText("1.86 Ah 22.9 Wh 3:41 10.2 V 31 °C");
    typed_->setAccessibleName(tr("Readings in one line"));
    box->addWidget(typed_);
    chips_ = new QLabel(this);
    chips_->setObjectName("padChips");
    chips_->setTextFormat(Qt::RichText);
    chips_->setWordWrap(true);
    chips_->setMinimumHeight(30);
    box->addWidget(chips_);
    words_ = wordLabel(this, "padWords");
    words_->setMinimumHeight(52);
    box->addWidget(words_);
    auto* form = new QFormLayout;
    form->setLabelAlignment(Qt::AlignRight | Qt::AlignVCenter);
    at_ = new QDateTimeEdit(QDateTime::currentDateTime(), this);
    at_->setObjectName("padAt");
    at_->setCalendarPopup(true);
    at_->setDisplayFormat("d MMM yyyy, hh:mm");
    note_ = new QLineEdit(this);
    note_->setObjectName("padNote");
    note_->setMaxLength(200);
    note_->setPlaceholderText(tr("which display, under which load; may be left open"));
    form->addRow(tr("Read at"), at_);
    form->addRow(tr("Note"), note_);
    box->addLayout(form);
    auto* row = new QHBoxLayout;
    away_ = new QPushButton(tr("Take away"), this);
    away_->setObjectName("padAway");
    away_->hide();
    row->addWidget(away_);
    row->addStretch(1);
    auto* cancel = new QPushButton(tr("Cancel"), this);
    keep_ = new QPushButton(tr("Keep"), this);
    keep_->setObjectName("padKeep");
    keep_->setProperty("role", "primary");
    keep_->setDefault(true);
    row->addWidget(cancel);
    row->addWidget(keep_);
    box->addLayout(row);
    connect(cancel, &QPushButton::clicked, this, &QDialog::reject);
    connect(keep_, &QPushButton::clicked, this, &QDialog::accept);
    connect(away_, &QPushButton::clicked, this, [this] {
        Q_EMIT takeAwayRequested();
        reject();
    });
    connect(typed_, &QLineEdit::textChanged, this, &PadDialog::read);
    read();
    typed_->setFocus();
}

PadDialog::PadDialog(const BatteryEntry& battery, const SpotReading& kept, QWidget* parent)
    : PadDialog(battery, parent) {
    kept_ = kept;
    away_->show();
    at_->setDateTime(QDateTime::fromSecsSinceEpoch(static_cast<qint64>(kept.atEpoch_s)));
    note_->setText(QString::fromStdString(kept.note));
    typed_->setText(QString::fromStdString(padText(kept)));
    typed_->selectAll();
}

void PadDialog::read() {
    line_ = readPad(typed_->text().toStdString(), battery_.battery);
    const Theme& t = currentTheme();
    QStringList chips;
    for (const std::string& c : line_.chips)
        chips << QString("<span style=\"background-color:%1;color:%2\">&nbsp;%3&nbsp;</span>")
                     .arg(t.selection.name(), t.text.name(),
                          QString::fromStdString(c).toHtmlEscaped());
    chips_->setText(chips.join(" &nbsp; "));
    QStringList words;
    const bool empty = typed_->text().trimmed().isEmpty();
    if (!line_.problem.empty() && !empty) words << QString::fromStdString(line_.problem);
    for (const std::string& q : line_.questions) words << QString::fromStdString(q);
    if (!line_.questions.empty())
        words << tr("It is kept as it stands; change the line if it was a slip.");
    words_->setText(words.join("\n"));
    keep_->setEnabled(!line_.readings.empty() && line_.problem.empty());
    keep_->setText(line_.questions.empty() ? tr("Keep") : tr("Keep it as it stands"));
}

std::vector<SpotReading> PadDialog::readings() const {
    std::vector<SpotReading> out = line_.readings;
    for (SpotReading& s : out) {
        s.batteryId = battery_.id;
        s.atEpoch_s = static_cast<double>(at_->dateTime().toSecsSinceEpoch());
        s.note = note_->text().trimmed().toStdString();
        if (s.kind == "resistance")
            s.method = kept_.kind == "resistance" && !kept_.method.empty() ? kept_.method : "other";
    }
    return out;
}

}  // namespace nk
