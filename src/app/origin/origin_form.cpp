#include "app/origin/origin_form.h"

#include <QComboBox>
#include <QFormLayout>
#include <QLineEdit>
#include <algorithm>

#include "quantity/accuracy_text.h"

namespace nk {

namespace {

QComboBox* openList(const QString& name, const QString& hint, QWidget* parent) {
    auto* box = new QComboBox(parent);
    box->setObjectName(name);
    box->setEditable(true);
    box->setInsertPolicy(QComboBox::NoInsert);
    box->lineEdit()->setPlaceholderText(hint);
    box->lineEdit()->setMaxLength(80);
    box->addItem(QString(), QVariant::fromValue<qlonglong>(0));
    return box;
}

/// The thing of this name in a list; 0: none.
std::int64_t idOf(const QComboBox* box) {
    const int row = box->findText(box->currentText().trimmed(), Qt::MatchFixedString);
    return row < 0 ? 0 : box->itemData(row).toLongLong();
}

}  // namespace

OriginForm::OriginForm(std::vector<InstrumentEntry> instruments, std::vector<ChargerEntry> chargers,
                       QObject* parent)
    : QObject(parent), instruments_(std::move(instruments)), chargers_(std::move(chargers)) {}

void OriginForm::addTo(QFormLayout* form) {
    QWidget* owner = form->parentWidget();
    instrument_ = openList("instrument", tr("the meter or logger; may be left open"), owner);
    for (const InstrumentEntry& e : instruments_)
        instrument_->addItem(QString::fromStdString(e.instrument.name),
                             QVariant::fromValue<qlonglong>(e.id));
    accuracy_ = new QLineEdit(owner);
    accuracy_->setEnabled(false);
    accuracy_->setPlaceholderText(tr("from its data sheet"));
    accuracy_->setObjectName("instrumentAccuracy");
    accuracy_->setToolTip(
        tr("From its data sheet: per cent of the reading + steps of the last digit, for volts (V) "
           "and amperes (A); kelvin for the temperature (C). Kept with the instrument."));
    charger_ = openList("charger", tr("what charged it; may be left open"), owner);
    for (const ChargerEntry& e : chargers_)
        charger_->addItem(QString::fromStdString(e.charger.name),
                          QVariant::fromValue<qlonglong>(e.id));
    form->addRow(tr("Logged with"), instrument_);
    form->addRow(tr("Its accuracy"), accuracy_);
    form->addRow(tr("Charged by"), charger_);
    connect(instrument_, &QComboBox::currentTextChanged, this, [this] {
        showAccuracy();
        Q_EMIT changed();
    });
    connect(accuracy_, &QLineEdit::textChanged, this, &OriginForm::changed);
    connect(charger_, &QComboBox::currentTextChanged, this, &OriginForm::changed);
    showAccuracy();
}

void OriginForm::setShape(const std::string& shape) {
    if (shape == shape_) return;
    shape_ = shape;
    if (const auto known = instrumentOfShape(instruments_, shape)) choose(known->id, 0);
}

void OriginForm::choose(std::int64_t instrumentId, std::int64_t chargerId) {
    const auto select = [](QComboBox* box, std::int64_t id) {
        if (const int row = box->findData(QVariant::fromValue<qlonglong>(id)); row > 0)
            box->setCurrentIndex(row);
    };
    select(instrument_, instrumentId);
    select(charger_, chargerId);
    showAccuracy();
}

void OriginForm::showAccuracy() {
    const std::int64_t id = idOf(instrument_);
    const bool fresh = id == 0 && !instrument_->currentText().trimmed().isEmpty();
    const auto known = std::ranges::find(instruments_, id, &InstrumentEntry::id);
    if (known != instruments_.end())
        accuracy_->setText(QString::fromStdString(accuracyText(known->instrument.accuracy)));
    else if (!fresh)
        accuracy_->clear();
    else if (!accuracy_->isEnabled())
        accuracy_->setText(QString::fromStdString(accuracyText({})));
    accuracy_->setEnabled(fresh);
}

QString OriginForm::problem() const {
    if (!accuracy_->isEnabled()) return {};
    const auto accuracy = parseAccuracy(accuracy_->text().toStdString(), {});
    return accuracy ? QString() : QString::fromStdString(accuracy.error().text());
}

LogOrigin OriginForm::origin() const {
    LogOrigin out;
    out.instrumentId = idOf(instrument_);
    out.chargerId = idOf(charger_);
    const std::string instrument = instrument_->currentText().trimmed().toStdString();
    const std::string charger = charger_->currentText().trimmed().toStdString();
    if (out.instrumentId == 0 && !instrument.empty()) {
        Instrument fresh{instrument, {}, {}, {}};
        if (const auto typed = parseAccuracy(accuracy_->text().toStdString(), {}))
            fresh.accuracy = *typed;
        if (!shape_.empty()) fresh.shapes.push_back(shape_);
        out.newInstrument = std::move(fresh);
    }
    if (out.chargerId == 0 && !charger.empty()) out.newCharger = Charger{charger, {}};
    return out;
}

OriginForm* newOriginForm(Session& session, QObject* parent) {
    auto instruments = session.book().instruments();
    auto chargers = session.book().chargers();
    return new OriginForm(instruments ? std::move(*instruments) : std::vector<InstrumentEntry>(),
                          chargers ? std::move(*chargers) : std::vector<ChargerEntry>(), parent);
}

}  // namespace nk
