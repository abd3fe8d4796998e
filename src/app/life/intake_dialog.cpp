#include "app/life/intake_dialog.h"

#include <QComboBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QShortcut>
#include <QSpinBox>
#include <QVBoxLayout>
#include <algorithm>

#include "app/theme/quantity_field.h"
#include "app/theme/word_label.h"
#include "chemistry/identify.h"

namespace nk {

IntakeDialog::IntakeDialog(const std::vector<BatteryEntry>& have, QWidget* parent)
    : QDialog(parent) {
    setObjectName("intake");
    setWindowTitle(tr("Take in many"));
    resize(620, 560);
    for (const BatteryEntry& e : have) names_.push_back(e.battery.name);
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(18, 16, 18, 16);
    box->setSpacing(10);
    auto* intro = wordLabel(this);
    intro->setText(
        tr("What they all are stands here. Then a line for each: its serial number and, behind a "
           "semicolon, what is written on it where it differs. Enter goes on to the next."));
    box->addWidget(intro);
    auto* form = new QFormLayout;
    form->setLabelAlignment(Qt::AlignRight | Qt::AlignVCenter);
    name_ = new QLineEdit(tr("Cell"), this);
    name_->setObjectName("intakeName");
    name_->setMaxLength(100);
    form->addRow(tr("Name, numbered"), name_);
    auto* kind = new QHBoxLayout;
    chemistry_ = new QComboBox(this);
    chemistry_->setObjectName("intakeChemistry");
    chemistry_->setAccessibleName(tr("Chemistry"));
    chemistry_->addItem(tr("not known"), QString());
    for (const Chemistry& c : chemistries())
        chemistry_->addItem(QString::fromStdString(c.name()), QString::fromStdString(c.id));
    series_ = new WholeField(this);
    series_->setObjectName("intakeSeries");
    series_->setRange(1, 1000);
    series_->setSuffix(tr(" in series"));
    kind->addWidget(chemistry_, 1);
    kind->addWidget(series_);
    form->addRow(tr("Chemistry"), kind);
    rated_ = new QLineEdit(this);
    rated_->setObjectName("intakeRated");
    rated_->setPlaceholderText(tr("2.5 Ah or 2500 mAh"));
    form->addRow(tr("Rated"), rated_);
    line_ = new QLineEdit(this);
    line_->setObjectName("intakeLine");
    line_->setMaxLength(300);
    line_->setPlaceholderText(tr("A-017; 7.2 V 2100 mAh NiMH"));
    line_->setAccessibleName(tr("Serial number and label of the next one"));
    form->addRow(tr("Next one"), line_);
    box->addLayout(form);
    words_ = wordLabel(this, "intakeWords");
    words_->setMinimumHeight(34);
    box->addWidget(words_);
    list_ = new QListWidget(this);
    list_->setObjectName("intakeList");
    list_->setAccessibleName(tr("Taken down so far; Delete takes a line away"));
    box->addWidget(list_, 1);
    auto* row = new QHBoxLayout;
    row->addStretch(1);
    auto* cancel = new QPushButton(tr("Cancel"), this);
    print_ = new QPushButton(tr("Keep and print labels…"), this);
    print_->setObjectName("intakePrint");
    keep_ = new QPushButton(tr("Keep"), this);
    keep_->setObjectName("intakeKeep");
    keep_->setProperty("role", "primary");
    for (QPushButton* b : {cancel, print_, keep_}) {
        b->setAutoDefault(false);  // Enter is for the next line
        row->addWidget(b);
    }
    box->addLayout(row);
    auto* away = new QShortcut(QKeySequence::Delete, list_);
    away->setContext(Qt::WidgetShortcut);
    connect(away, &QShortcut::activated, this, [this] {
        const int at = list_->currentRow();
        if (at < 0) return;
        lines_.erase(lines_.begin() + at);
        delete list_->takeItem(at);
        tell();
    });
    connect(line_, &QLineEdit::returnPressed, this, &IntakeDialog::addLine);
    connect(line_, &QLineEdit::textChanged, this, &IntakeDialog::tell);
    connect(rated_, &QLineEdit::textChanged, this, &IntakeDialog::tell);
    connect(name_, &QLineEdit::textChanged, this, &IntakeDialog::tell);
    connect(cancel, &QPushButton::clicked, this, &QDialog::reject);
    connect(keep_, &QPushButton::clicked, this, &QDialog::accept);
    connect(print_, &QPushButton::clicked, this, [this] {
        labels_ = true;
        accept();
    });
    tell();
    line_->setFocus();
}

void IntakeDialog::addLine() {
    const QString typed = line_->text().trimmed();
    if (typed.isEmpty()) return;
    const auto semicolon = typed.indexOf(';');
    const QString serial = (semicolon < 0 ? typed : typed.left(semicolon)).trimmed();
    const QString label = semicolon < 0 ? QString() : typed.mid(semicolon + 1).trimmed();
    const bool twice = !serial.isEmpty() && std::ranges::any_of(lines_, [&](const auto& l) {
        return l.first == serial;
    });
    if (twice) {
        words_->setText(tr("%1 is in the list already.").arg(serial));
        return;
    }
    lines_.emplace_back(serial, label);
    line_->clear();
    const auto all = items();
    list_->addItem(QString("%1  ·  %2%3")
                       .arg(QString::fromStdString(all.back().battery.name),
                            serial.isEmpty() ? tr("no serial number") : serial,
                            label.isEmpty() ? QString() : "  ·  " + label));
    list_->scrollToBottom();
    tell();
}

void IntakeDialog::tell() {
    const LabelWords rated = readLabel(rated_->text().toStdString());
    const QString typed = rated_->text().trimmed();
    QString words;
    const bool readable = typed.isEmpty() || rated.figures.capacity_Ah.has_value();
    if (!readable)
        words = tr("The rating is not readable. Accepted: 2.5 Ah or 2500 mAh.");
    else
        words = tr("In the list: %1.").arg(lines_.size());
    words_->setText(words);
    const bool good = readable && !lines_.empty() && !name_->text().trimmed().isEmpty();
    keep_->setEnabled(good);
    print_->setEnabled(good);
}

std::vector<IntakeItem> IntakeDialog::items() const {
    std::vector<IntakeItem> out;
    std::vector<std::string> taken = names_;
    int number = 1;
    const std::string stem = name_->text().trimmed().toStdString();
    const LabelWords rated = readLabel(rated_->text().toStdString());
    for (const auto& [serial, label] : lines_) {
        IntakeItem item;
        Battery& b = item.battery;
        b.chemistry = chemistry_->currentData().toString().toStdString();
        b.series = series_->value();
        b.rated_Ah = rated.figures.capacity_Ah.value_or(0);
        item.life.serial = serial.toStdString();
        if (!label.isEmpty()) {
            // What is written on it wins over what they all are.
            item.life.notes = label.toStdString();
            const LabelWords own = readLabel(label.toStdString());
            if (own.figures.capacity_Ah) b.rated_Ah = *own.figures.capacity_Ah;
            if (own.series > 0) b.series = own.series;
            if (own.parallel > 0) b.parallel = own.parallel;
            if (own.chemistries.size() == 1) b.chemistry = own.chemistries.front();
        }
        do b.name = stem + " " + std::to_string(number++);
        while (std::ranges::find(taken, b.name) != taken.end());
        taken.push_back(b.name);
        out.push_back(std::move(item));
    }
    return out;
}

}  // namespace nk
