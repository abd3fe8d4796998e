#include "app/preferences/preferences_dialog.h"

#include <QCheckBox>
#include <QComboBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSpinBox>
#include <QVBoxLayout>
#include <optional>

#include "app/preferences/translation.h"
#include "app/theme/quantity_field.h"
#include "app/theme/word_label.h"
#include "quantity/format.h"

namespace nk {

namespace {

/// A number between 0 and `most`, with point or comma.
std::optional<double> typed(const QLineEdit* edit, double most) {
    bool ok = false;
    const double value = QLocale::c().toDouble(edit->text().trimmed().replace(',', '.'), &ok);
    return ok && value >= 0 && value <= most ? std::optional(value) : std::nullopt;
}

QString languageName(const QString& code) {
    return code == "en" ? QString("English") : QLocale(code).nativeLanguageName();
}

}  // namespace

PreferencesDialog::PreferencesDialog(const Preferences& p, QWidget* parent)
    : QDialog(parent), before_(p) {
    setObjectName("preferences");
    setMinimumHeight(610);
    setWindowTitle(tr("Preferences"));
    setMinimumWidth(470);
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(18, 16, 18, 14);
    box->setSpacing(8);
    QFormLayout* form = nullptr;
    const auto head = [&](const QString& words) {
        auto* label = new QLabel(words, this);
        label->setProperty("role", "heading");
        box->addWidget(label);
        form = new QFormLayout;
        form->setLabelAlignment(Qt::AlignRight | Qt::AlignVCenter);
        form->setContentsMargins(0, 0, 0, 6);
        box->addLayout(form);
    };
    const auto list = [&](const QString& words, const char* name, const QStringList& items,
                          int at) {
        auto* combo = new QComboBox(this);
        combo->setObjectName(name);
        combo->setAccessibleName(words);
        combo->addItems(items);
        combo->setCurrentIndex(at);
        form->addRow(words, combo);
        return combo;
    };
    head(tr("Words and numbers"));
    language_ = list(tr("Language"), "language", {tr("as the system")}, 0);
    for (const QString& code : Translation::available()) {
        language_->addItem(languageName(code), code);
        if (code == p.language) language_->setCurrentIndex(language_->count() - 1);
    }
    decimal_ = list(tr("Decimal sign"), "decimal",
                    {tr("as the system"), tr("point, 3.75"), tr("comma, 3,75")},
                    static_cast<int>(p.decimal));
    temperature_ =
        list(tr("Temperature"), "temperatureUnit", {tr("°C"), tr("°F")}, p.fahrenheit ? 1 : 0);
    charge_ = list(tr("Charge"), "chargeUnit",
                   {tr("mAh under 1 Ah, else Ah"), tr("always Ah"), tr("always mAh")},
                   static_cast<int>(p.charge));
    look_ = list(tr("Look"), "look", {tr("as the system"), tr("paper"), tr("night bench")},
                 static_cast<int>(p.look));
    head(tr("Your instrument"));
    auto* explain = new QLabel(tr("How far the logger may be off. Its manual says; without one, "
                                  "±0.5 % and one step of the "
                                  "last digit is a fair guess. Every ± here follows from it."),
                               this);
    explain->setWordWrap(true);
    explain->setProperty("role", "muted");
    box->insertWidget(box->count() - 1, explain);
    const auto pair = [&](const QString& words, const char* name, double percent, double steps,
                          QLineEdit*& gain, QLineEdit*& offset) {
        auto* row = new QHBoxLayout;
        gain = new QLineEdit(QString::fromStdString(fixed(percent, 2)), this);
        offset = new QLineEdit(QString::fromStdString(fixed(steps, 0)), this);
        gain->setObjectName(name);
        offset->setObjectName(QString(name) + "Steps");
        gain->setAccessibleName(tr("%1, percent of the reading").arg(words));
        offset->setAccessibleName(tr("%1, steps of the last digit").arg(words));
        for (QLineEdit* edit : {gain, offset}) {
            edit->setMaximumWidth(76);
            connect(edit, &QLineEdit::textChanged, this, &PreferencesDialog::check);
        }
        row->addWidget(gain);
        row->addWidget(new QLabel(tr("% of the reading and"), this));
        row->addWidget(offset);
        row->addWidget(new QLabel(tr("steps"), this), 1);
        form->addRow(words + " ±", row);
    };
    pair(tr("Voltage"), "accuracyVoltage", 100 * p.accuracy.voltageGain,
         p.accuracy.voltageOffsetSteps, voltage_, voltageSteps_);
    pair(tr("Current"), "accuracyCurrent", 100 * p.accuracy.currentGain,
         p.accuracy.currentOffsetSteps, current_, currentSteps_);
    degrees_ = new QLineEdit(QString::fromStdString(fixed(p.accuracy.temperature_C, 1)), this);
    degrees_->setObjectName("accuracyTemperature");
    degrees_->setAccessibleName(tr("Temperature, kelvin"));
    degrees_->setMaximumWidth(76);
    connect(degrees_, &QLineEdit::textChanged, this, &PreferencesDialog::check);
    auto* kelvin = new QHBoxLayout;
    kelvin->addWidget(degrees_);
    kelvin->addWidget(new QLabel("K", this), 1);
    form->addRow(tr("Temperature ±"), kelvin);
    head(tr("The bench book"));
    backups_ =
        new QCheckBox(tr("Back it up once a day, beside the book; keep the last seven"), this);
    backups_->setObjectName("backups");
    backups_->setChecked(p.backups);
    box->addWidget(backups_);
    auto* room = new QHBoxLayout;
    room->setContentsMargins(26, 0, 0, 0);
    auto* roomWords = new QLabel(tr("as far as they fit into"), this);
    backupRoom_ = new WholeField(this);
    backupRoom_->setObjectName("backupRoom");
    backupRoom_->setAccessibleName(tr("Room for backups, gigabytes"));
    backupRoom_->setRange(1, 10000);
    backupRoom_->setSuffix(" GB");
    backupRoom_->setValue(p.backupRoom_GB);
    backupRoom_->setToolTip(
        tr("The oldest go first; the newest is always kept. A copy from before a change of the "
           "book's format stays until you remove it."));
    backupRoom_->setEnabled(p.backups);
    connect(backups_, &QCheckBox::toggled, backupRoom_, &QWidget::setEnabled);
    room->addWidget(roomWords);
    room->addWidget(backupRoom_);
    room->addStretch(1);
    box->addLayout(room);
    problem_ = wordLabel(this, "problem");
    problem_->hide();
    box->addWidget(problem_);
    box->addStretch(1);
    auto* buttons = new QHBoxLayout;
    buttons->addStretch(1);
    auto* cancel = new QPushButton(tr("Cancel"), this);
    keep_ = new QPushButton(tr("Keep"), this);
    keep_->setObjectName("keep");
    keep_->setProperty("role", "primary");
    keep_->setDefault(true);
    buttons->addWidget(cancel);
    buttons->addWidget(keep_);
    box->addLayout(buttons);
    connect(cancel, &QPushButton::clicked, this, &QDialog::reject);
    connect(keep_, &QPushButton::clicked, this, &QDialog::accept);
}

bool PreferencesDialog::readable(QString* problem) const {
    const std::tuple<const QLineEdit*, double, QString> fields[] = {
        {voltage_, 20, tr("the voltage's percent: 0 to 20")},
        {voltageSteps_, 100, tr("the voltage's steps: 0 to 100")},
        {current_, 20, tr("the current's percent: 0 to 20")},
        {currentSteps_, 100, tr("the current's steps: 0 to 100")},
        {degrees_, 20, tr("the temperature's kelvins: 0 to 20")}};
    for (const auto& [edit, most, words] : fields)
        if (!typed(edit, most)) {
            *problem = tr("This is not readable. Accepted is, for %1.").arg(words);
            return false;
        }
    return true;
}

void PreferencesDialog::check() {
    QString problem;
    const bool good = readable(&problem);
    problem_->setText(problem);
    problem_->setVisible(!good);
    keep_->setEnabled(good);
}

Preferences PreferencesDialog::preferences() const {
    Preferences p = before_;
    p.language = language_->currentData().toString();
    p.decimal = static_cast<DecimalSign>(decimal_->currentIndex());
    p.fahrenheit = temperature_->currentIndex() == 1;
    p.charge = static_cast<ChargeUnit>(charge_->currentIndex());
    p.look = static_cast<ThemeChoice>(look_->currentIndex());
    p.accuracy.voltageGain = typed(voltage_, 20).value_or(100 * p.accuracy.voltageGain) / 100;
    p.accuracy.currentGain = typed(current_, 20).value_or(100 * p.accuracy.currentGain) / 100;
    p.accuracy.voltageOffsetSteps =
        typed(voltageSteps_, 100).value_or(p.accuracy.voltageOffsetSteps);
    p.accuracy.currentOffsetSteps =
        typed(currentSteps_, 100).value_or(p.accuracy.currentOffsetSteps);
    p.accuracy.temperature_C = typed(degrees_, 20).value_or(p.accuracy.temperature_C);
    p.backups = backups_->isChecked();
    p.backupRoom_GB = backupRoom_->value();
    return p;
}

}  // namespace nk
