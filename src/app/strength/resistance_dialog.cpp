#include "app/strength/resistance_dialog.h"

#include <QComboBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QVBoxLayout>

#include "analysis/resistance/temperature_law.h"
#include "app/preferences/preferences.h"
#include "app/strength/strength_presenter.h"
#include "app/theme/word_label.h"
#include "quantity/format.h"

namespace nk {

ResistanceDialog::ResistanceDialog(const Battery& battery, QWidget* parent)
    : QDialog(parent), battery_(battery) {
    setObjectName("resistanceDialog");
    setWindowTitle(tr("A resistance by hand"));
    setMinimumWidth(440);
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(18, 16, 18, 16);
    box->setSpacing(10);
    auto* intro = wordLabel(this);
    intro->setText(
        tr("Of the whole battery, as the meter showed it. Several readings of "
           "the same tell more: a "
           "first one that is far too high is contact, and is left out."));
    box->addWidget(intro);
    auto* form = new QFormLayout;
    form->setSpacing(8);
    method_ = new QComboBox(this);
    method_->setObjectName("resistanceMethod");
    method_->addItem(tr("1 kHz a.c. meter"), "ac_1khz");
    method_->addItem(tr("charger's display"), "charger");
    method_->addItem(tr("another way"), "other");
    values_ = new QLineEdit(this);
    values_->setObjectName("resistanceValues");
    values_->setPlaceholderText(tr("readings with their unit, mΩ or ohm"));
    temperature_ = new QLineEdit(this);
    temperature_->setObjectName("resistanceTemperature");
    temperature_->setPlaceholderText(tr("%1, if you know it").arg(temperatureUnit()));
    form->addRow(tr("Read with"), method_);
    form->addRow(tr("Readings"), values_);
    form->addRow(tr("Temperature"), temperature_);
    box->addLayout(form);
    note_ = wordLabel(this, "resistanceNote", "muted");
    note_->setMinimumHeight(48);
    box->addWidget(note_);
    auto* row = new QHBoxLayout;
    row->addStretch(1);
    auto* cancel = new QPushButton(tr("Cancel"), this);
    accept_ = new QPushButton(tr("Keep"), this);
    accept_->setObjectName("acceptResistance");
    accept_->setProperty("role", "primary");
    accept_->setDefault(true);
    row->addWidget(cancel);
    row->addWidget(accept_);
    box->addLayout(row);
    connect(cancel, &QPushButton::clicked, this, &QDialog::reject);
    connect(accept_, &QPushButton::clicked, this, &QDialog::accept);
    connect(values_, &QLineEdit::textChanged, this, &ResistanceDialog::check);
    connect(temperature_, &QLineEdit::textChanged, this, &ResistanceDialog::check);
    connect(method_, &QComboBox::currentIndexChanged, this, &ResistanceDialog::check);
    values_->setFocus();
    check();
}

void ResistanceDialog::check() {
    accept_->setEnabled(false);
    if (values_->text().trimmed().isEmpty()) {
        note_->setText({});
        return;
    }
    const auto values = parseResistances(values_->text(), battery_);
    if (!values) {
        note_->setText(QString::fromStdString(values.error().what + " " +
                                              phrase("Accepted: {}", values.error().accepted)));
        return;
    }
    reading_ = {};
    reading_.kind = "resistance";
    reading_.method = method_->currentData().toString().toStdString();
    reading_.repeats = *values;
    reading_.resolution = 1e-3;
    const auto summary = summariseRepeats(*values);
    reading_.value = summary ? summary->median : values->front();
    const QString typed =
        temperature_->text().trimmed().replace(',', '.').remove(temperatureUnit());
    if (!typed.isEmpty()) {
        bool ok = false;
        reading_.temperature_C = typedTemperature(typed.toDouble(&ok));
        if (!ok || reading_.temperature_C < -60 || reading_.temperature_C > 100) {
            note_->setText(
                tr("The temperature is not readable. A number from %1 to %2 is accepted.")
                    .arg(degreesText(-60), degreesText(100)));
            return;
        }
    }
    note_->setText(
        QString::fromStdString(shortValue(reading_.value, "ohm") +
                               (values->size() > 1 && summary ? ": " + summary->words : "")));
    accept_->setEnabled(true);
}

}  // namespace nk
