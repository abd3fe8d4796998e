#include "app/shell/battery_card.h"

#include <QComboBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSpinBox>
#include <QVBoxLayout>
#include <cmath>

#include "app/origin/origin_form.h"
#include "app/shell/battery_details.h"
#include "app/theme/quantity_field.h"
#include "app/theme/word_label.h"
#include "chemistry/identify.h"
#include "quantity/quantity_text.h"

namespace nk {

BatteryCard::BatteryCard(const QString& title, const QString& intro, const Battery& start,
                         std::vector<BatteryEntry> choices, QWidget* parent)
    : QDialog(parent), choices_(std::move(choices)), start_(start) {
    setObjectName("batteryCard");
    setWindowTitle(title);
    setMinimumWidth(430);
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(18, 16, 18, 16);
    box->setSpacing(10);
    auto* head = wordLabel(this);
    head->setText(intro);
    box->addWidget(head);
    auto* form = form_ = new QFormLayout;
    form->setLabelAlignment(Qt::AlignRight | Qt::AlignVCenter);
    form->setSpacing(8);
    if (!choices_.empty()) {
        which_ = new QComboBox(this);
        which_->setObjectName("which");
        which_->addItem(tr("A new battery"), QVariant::fromValue<qlonglong>(0));
        for (const BatteryEntry& e : choices_)
            which_->addItem(QString::fromStdString(e.battery.name),
                            QVariant::fromValue<qlonglong>(e.id));
        form->addRow(tr("Belongs to"), which_);
        connect(which_, &QComboBox::currentIndexChanged, this, [this](int row) {
            fill(row == 0 ? start_ : choices_[static_cast<std::size_t>(row) - 1].battery);
            for (QWidget* w : {static_cast<QWidget*>(name_), static_cast<QWidget*>(label_),
                               static_cast<QWidget*>(chemistry_), static_cast<QWidget*>(series_),
                               static_cast<QWidget*>(parallel_), static_cast<QWidget*>(rated_),
                               static_cast<QWidget*>(more_), static_cast<QWidget*>(details_)})
                w->setEnabled(row == 0);
            check();
        });
    }
    name_ = new QLineEdit(this);
    name_->setObjectName("name");
    name_->setPlaceholderText(tr("what is written on it, or where it lives"));
    name_->setMaxLength(80);
    chemistry_ = new QComboBox(this);
    chemistry_->setObjectName("chemistry");
    chemistry_->addItem(tr("not known"), QString());
    for (const Chemistry& c : chemistries())
        chemistry_->addItem(QString::fromStdString(c.name()), QString::fromStdString(c.id));
    series_ = new WholeField(this);
    series_->setObjectName("series");
    series_->setRange(0, 1000);
    series_->setSpecialValueText(tr("not known"));
    parallel_ = new WholeField(this);
    parallel_->setObjectName("parallel");
    parallel_->setRange(1, 1000);
    rated_ = new QLineEdit(this);
    rated_->setObjectName("rated");
    rated_->setPlaceholderText(tr("from the label, for example 5.0 Ah or 2200 mAh"));
    label_ = new QLineEdit(this);
    label_->setObjectName("labelLine");
    label_->setMaxLength(300);
    label_->setPlaceholderText(tr("copy it: 22.2 V 5000 mAh 111 Wh LiPo"));
    label_->setToolTip(
        tr("Volts, capacity, energy, cells and kind are taken from it; what does not "
           "fit together is said."));
    connect(label_, &QLineEdit::textEdited, this, &BatteryCard::readLabelLine);
    form->addRow(tr("Name"), name_);
    form->addRow(tr("The label says"), label_);
    form->addRow(tr("Chemistry"), chemistry_);
    form->addRow(tr("Cells in series"), series_);
    form->addRow(tr("In parallel"), parallel_);
    form->addRow(tr("Rated capacity"), rated_);
    box->addLayout(form);
    more_ = new QPushButton(tr("More: mass, label C, charger, maker's figures"), this);
    more_->setObjectName("more");
    more_->setProperty("role", "link");
    more_->setCheckable(true);
    box->addWidget(more_, 0, Qt::AlignLeft);
    details_ = new BatteryDetails(this);
    details_->hide();
    box->addWidget(details_);
    connect(more_, &QPushButton::toggled, this, [this](bool on) {
        details_->setVisible(on);
        adjustSize();
    });
    connect(details_, &BatteryDetails::changed, this, &BatteryCard::check);
    note_ = wordLabel(this, "note", "muted");
    note_->setMinimumHeight(52);
    box->addWidget(note_);
    auto* buttons = new QHBoxLayout;
    buttons->addStretch(1);
    auto* cancel = new QPushButton(tr("Cancel"), this);
    cancel->setObjectName("cancel");
    accept_ = new QPushButton(
        choices_.empty() && start.name.size() ? tr("Keep") : tr("Add to the shelf"), this);
    accept_->setObjectName("accept");
    accept_->setProperty("role", "primary");
    accept_->setDefault(true);
    buttons->addWidget(cancel);
    buttons->addWidget(accept_);
    box->addLayout(buttons);
    connect(cancel, &QPushButton::clicked, this, &QDialog::reject);
    connect(accept_, &QPushButton::clicked, this, &QDialog::accept);
    fill(start_);
    for (QLineEdit* edit : {name_, rated_})
        connect(edit, &QLineEdit::textChanged, this, &BatteryCard::check);
    connect(chemistry_, &QComboBox::currentIndexChanged, this, &BatteryCard::check);
    connect(series_, &QSpinBox::valueChanged, this, &BatteryCard::check);
    check();
    name_->setFocus();
}

void BatteryCard::fill(const Battery& b) {
    name_->setText(QString::fromStdString(b.name));
    const int row = chemistry_->findData(QString::fromStdString(b.chemistry));
    chemistry_->setCurrentIndex(std::max(0, row));
    series_->setValue(b.series);
    parallel_->setValue(std::max(1, b.parallel));
    details_->fill(b);
    rated_->setText(b.rated_Ah > 0 ? QString::number(b.rated_Ah, 'g', 6) + " Ah" : QString());
}

void BatteryCard::readLabelLine(const QString& line) {
    labelSays_.clear();
    LabelFacts facts;
    facts.words = line.trimmed().toStdString();
    const auto found = identifyBattery(facts);
    const LabelWords words = readLabel(facts.words);
    if (found && !found->candidates.empty()) {
        const BatteryCandidate& best = found->candidates.front();
        constexpr double kSure = 0.3;
        if (best.share >= kSure) {
            chemistry_->setCurrentIndex(
                std::max(0, chemistry_->findData(QString::fromStdString(best.chemistry))));
            series_->setValue(best.series);
            if (best.parallel > 0) parallel_->setValue(best.parallel);
        }
        labelSays_ = tr("It looks like %1, %2 in series (%3 %).")
                         .arg(QString::fromStdString((*findChemistry(best.chemistry))->name()))
                         .arg(best.series)
                         .arg(qRound(100 * best.share));
        if (!found->ask.empty()) labelSays_ += " " + QString::fromStdString(found->ask);
    }
    if (found && !found->noneText.empty()) labelSays_ = QString::fromStdString(found->noneText);
    if (found && found->contradictions.empty() && words.figures.capacity_Ah)
        rated_->setText(QString::number(*words.figures.capacity_Ah, 'g', 6) + " Ah");
    if (found)
        for (const LabelContradiction& c : found->contradictions)
            labelSays_ += (labelSays_.isEmpty() ? "" : "\n") + QString::fromStdString(c.text);
    check();
}

void BatteryCard::setAcceptWords(const QString& words) {
    accept_->setText(words);
}

void BatteryCard::setOrigin(OriginForm* origin) {
    origin_ = origin;
    origin->addTo(form_);
    connect(origin, &OriginForm::changed, this, &BatteryCard::check);
    check();
}

void BatteryCard::setPreview(QWidget* preview, bool open) {
    auto* box = static_cast<QVBoxLayout*>(layout());
    reading_ = new QPushButton(tr("How it was read"), this);
    reading_->setObjectName("reading");
    reading_->setProperty("role", "link");
    reading_->setCheckable(true);
    box->insertWidget(1, reading_, 0, Qt::AlignLeft);
    preview->setParent(this);
    box->insertWidget(2, preview);
    preview->setVisible(open);
    reading_->setChecked(open);
    connect(reading_, &QPushButton::toggled, this, [this, preview](bool on) {
        preview->setVisible(on);
        if (on) setMinimumWidth(760);
        adjustSize();
    });
    if (open) setMinimumWidth(760);
}

void BatteryCard::setReadable(bool readable) {
    readable_ = readable;
    check();
}

void BatteryCard::setTopVoltage(double high_V, bool charges) {
    high_V_ = high_V;
    charges_ = charges;
    check();
}

namespace {

/// "5", "5.0 Ah", "2200 mAh", "2,2Ah" in Ah; NaN when it cannot be read.
double parseRated(QString text) {
    text = text.trimmed();
    if (text.isEmpty()) return 0;
    const std::string words = text.toStdString();
    const double value = readQuantity(words, {"Ah"}).value_or(std::nan(""));
    return value > 0 && value <= 1e5 ? value : std::nan("");
}

}  // namespace

void BatteryCard::check() {
    const double rated = parseRated(rated_->text());
    QString note;
    bool good = true;
    if (std::isnan(rated)) {
        note = tr(
            "The capacity is not readable. Accepted: a number with Ah or mAh, for example 5.0 Ah.");
        good = false;
    } else if (rated >= 100 && !rated_->text().contains("ah", Qt::CaseInsensitive)) {
        note = tr("%1 is taken as Ah. If the label says mAh, write %1 mAh.")
                   .arg(rated_->text().trimmed());
    } else if (high_V_ > 0 && series_->value() > 0 &&
               !chemistry_->currentData().toString().isEmpty()) {
        const auto found = findChemistry(chemistry_->currentData().toString().toStdString());
        const double perCell = high_V_ / series_->value();
        if (found) {
            const Chemistry& c = **found;
            const double high = c.nickel() ? 1.75 : c.fault_V + 0.02;
            const double low = c.nickel() ? 0.9 : c.overdischarge_V;
            if (perCell > high)
                note = tr("The log reaches %1 V, which is %2 V a cell: too much for %3. Check "
                          "chemistry and series count; if they are right, the charger is at fault.")
                           .arg(high_V_, 0, 'f', 2)
                           .arg(perCell, 0, 'f', 2)
                           .arg(QString::fromStdString(c.name()));
            else if (perCell < low)
                note = tr("The log reaches only %1 V, which is %2 V a cell: too little for %3. "
                          "Check the series count.")
                           .arg(high_V_, 0, 'f', 2)
                           .arg(perCell, 0, 'f', 2)
                           .arg(QString::fromStdString(c.name()));
            else
                note = tr("The log reaches %1 V, which is %2 V a cell: that fits. Voltage alone "
                          "does not tell the lithium kinds apart: check the label.")
                           .arg(high_V_, 0, 'f', 2)
                           .arg(perCell, 0, 'f', 2);
        }
    } else {
        note = tr("What you leave open is guessed from the voltages and marked as assumed.");
    }
    QString problem = details_->problem(chemistry_->currentData().toString().toStdString());
    if (problem.isEmpty() && origin_ != nullptr) problem = origin_->problem();
    if (!problem.isEmpty()) {
        note = problem;
        good = false;
    }
    if (good && !labelSays_.isEmpty()) note = labelSays_;
    note_->setText(note);
    accept_->setEnabled(good && readable_);
}

Battery BatteryCard::battery() const {
    Battery b = start_;
    b.assumed.clear();
    b.name = name_->text().trimmed().toStdString();
    b.chemistry = chemistry_->currentData().toString().toStdString();
    b.series = series_->value();
    b.parallel = parallel_->value();
    const double rated = parseRated(rated_->text());
    b.rated_Ah = std::isfinite(rated) ? rated : 0;
    details_->apply(b);
    if (b.name.empty()) b.name = tr("Battery").toStdString();
    return b;
}

std::int64_t BatteryCard::chosenId() const {
    return which_ == nullptr ? 0 : which_->currentData().toLongLong();
}

}  // namespace nk
