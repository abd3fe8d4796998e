#include "app/theme/quantity_field.h"

#include <QAbstractSlider>
#include <QApplication>
#include <QComboBox>
#include <QKeyEvent>
#include <QLineEdit>
#include <QScrollBar>
#include <QToolTip>
#include <cmath>

#include "quantity/phrase.h"
#include "quantity/quantity_text.h"

namespace nk {

namespace {

const QString kNarrowSpace(QChar(0x202F));

class Calm : public QObject {
  public:
    using QObject::QObject;

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override {
        if (event->type() != QEvent::Wheel && event->type() != QEvent::Polish) return false;
        auto* field = qobject_cast<QWidget*>(watched);
        const bool spins = qobject_cast<QAbstractSpinBox*>(watched) != nullptr;
        const bool slides = qobject_cast<QAbstractSlider*>(watched) != nullptr &&
                            qobject_cast<QScrollBar*>(watched) == nullptr;
        if (!spins && !slides && qobject_cast<QComboBox*>(watched) == nullptr) return false;
        if (event->type() == QEvent::Polish) {
            if (field->focusPolicy() == Qt::WheelFocus) field->setFocusPolicy(Qt::StrongFocus);
            return false;
        }
        if (field->hasFocus()) return false;
        // Not taken: the page behind it scrolls.
        event->ignore();
        return true;
    }
};

/// Without prefix and suffix of a spin box.
QString bare(QString text, const QString& prefix, const QString& suffix) {
    if (!prefix.isEmpty() && text.startsWith(prefix)) text.remove(0, prefix.size());
    if (!suffix.isEmpty() && text.endsWith(suffix)) text.chop(suffix.size());
    return text.trimmed();
}

Expected<double> read(const QString& text, const QString& unit, double capacity_Ah) {
    const std::string words = text.toStdString();
    const std::string wanted = unit.toStdString();
    return readQuantity(words, {wanted, capacity_Ah});
}

QString why(const Error& e) {
    return QString::fromStdString(e.accepted.empty() ? e.what : e.what + " " + e.accepted);
}

/// The suffix without the space before it.
QString unitOf(const QString& suffix) {
    QString out = suffix;
    while (!out.isEmpty() && out.front().isSpace()) out.remove(0, 1);
    return out;
}

template <class Field>
QString rangeWords(const Field& field) {
    return QObject::tr("%1 to %2")
        .arg(field.textFromValue(field.minimum()),
             field.textFromValue(field.maximum()) + field.suffix());
}

/// What both fields do alike.
template <class Field>
QString shownOf(const Field& field) {
    return field.specialValueText().isEmpty() || field.value() > field.minimum()
               ? field.prefix() + field.textFromValue(field.value()) + field.suffix()
               : field.specialValueText();
}

/// What cannot be taken is said, and the value before stays.
template <class Field>
void refuse(const Field& field, QString& text) {
    int none = 0;
    if (field.validate(text, none) != QValidator::Acceptable && field.hasFocus())
        QToolTip::showText(field.mapToGlobal(QPoint(0, field.height())), field.echo());
    text = shownOf(field);
}

/// Esc takes back what was typed; false: it was another key.
template <class Field, class Value>
bool takeBack(Field& field, QLineEdit& edit, Value before, QKeyEvent* event) {
    if (event->key() != Qt::Key_Escape || !edit.isModified()) return false;
    field.setValue(before);
    edit.setText(shownOf(field));
    edit.setModified(false);
    Q_EMIT field.understood({});
    event->accept();
    return true;
}

}  // namespace

void calmFields(QApplication& app) {
    if (app.property("calmFields").toBool()) return;
    app.setProperty("calmFields", true);
    app.installEventFilter(new Calm(&app));
}

QuantityField::QuantityField(QWidget* parent) : QDoubleSpinBox(parent) {
    setDecimals(leastDecimals_);
    setKeyboardTracking(false);
    setFocusPolicy(Qt::StrongFocus);
    connect(lineEdit(), &QLineEdit::textEdited, this, &QuantityField::tell);
}

void QuantityField::setDecimals(int digits) {
    constexpr int kMost = 5;
    leastDecimals_ = digits;
    QDoubleSpinBox::setDecimals(std::max(digits, kMost));
}

QString QuantityField::textFromValue(double value) const {
    int digits = leastDecimals_;
    constexpr double kRest = 1e-9;
    while (digits < decimals()) {
        const double scale = std::pow(10, digits);
        if (std::abs(std::round(value * scale) / scale - value) < kRest) break;
        ++digits;
    }
    QString out = locale().toString(value, 'f', digits);
    out.remove(locale().groupSeparator());
    return out;
}

double QuantityField::valueFromText(const QString& text) const {
    return read(bare(text, prefix(), suffix()), unitOf(suffix()), capacity_Ah_).value_or(value());
}

QValidator::State QuantityField::validate(QString& text, int&) const {
    if (!specialValueText().isEmpty() && text == specialValueText()) return QValidator::Acceptable;
    const auto value = read(bare(text, prefix(), suffix()), unitOf(suffix()), capacity_Ah_);
    if (!value || *value < minimum() - 1e-12 || *value > maximum() + 1e-12)
        return QValidator::Intermediate;
    return QValidator::Acceptable;
}

void QuantityField::fixup(QString& text) const {
    refuse(*this, text);
}

QString QuantityField::echo() const {
    const QString typed = bare(lineEdit()->text(), prefix(), suffix());
    if (typed.isEmpty() || lineEdit()->text() == specialValueText()) return {};
    const auto value = read(typed, unitOf(suffix()), capacity_Ah_);
    if (!value) return why(value.error());
    if (*value < minimum() - 1e-12 || *value > maximum() + 1e-12) return rangeWords(*this);
    QString out = "= " + textFromValue(*value) + suffix();
    if (unitOf(suffix()) == "C" && capacity_Ah_ > 0)
        out += QString(", %1").arg(textFromValue(*value * capacity_Ah_) + kNarrowSpace + "A");
    return out;
}

void QuantityField::tell() {
    Q_EMIT understood(echo());
}

void QuantityField::keyPressEvent(QKeyEvent* event) {
    if (!takeBack(*this, *lineEdit(), before_, event)) QDoubleSpinBox::keyPressEvent(event);
}

void QuantityField::focusInEvent(QFocusEvent* event) {
    before_ = value();
    QDoubleSpinBox::focusInEvent(event);
}

void QuantityField::focusOutEvent(QFocusEvent* event) {
    QDoubleSpinBox::focusOutEvent(event);
    Q_EMIT understood({});
}

WholeField::WholeField(QWidget* parent) : QSpinBox(parent) {
    setKeyboardTracking(false);
    setFocusPolicy(Qt::StrongFocus);
    connect(lineEdit(), &QLineEdit::textEdited, this, &WholeField::tell);
}

int WholeField::valueFromText(const QString& text) const {
    const auto value = read(bare(text, prefix(), suffix()), unitOf(suffix()), 0);
    return value ? static_cast<int>(std::lround(std::clamp(*value, -2e9, 2e9))) : this->value();
}

QValidator::State WholeField::validate(QString& text, int&) const {
    if (!specialValueText().isEmpty() && text == specialValueText()) return QValidator::Acceptable;
    const auto value = read(bare(text, prefix(), suffix()), unitOf(suffix()), 0);
    const bool whole = value && std::abs(*value - std::round(*value)) < 1e-6;
    if (!whole || *value < minimum() || *value > maximum()) return QValidator::Intermediate;
    return QValidator::Acceptable;
}

void WholeField::fixup(QString& text) const {
    refuse(*this, text);
}

QString WholeField::echo() const {
    const QString typed = bare(lineEdit()->text(), prefix(), suffix());
    if (typed.isEmpty() || lineEdit()->text() == specialValueText()) return {};
    const auto value = read(typed, unitOf(suffix()), 0);
    if (!value) return why(value.error());
    if (*value < minimum() || *value > maximum()) return rangeWords(*this);
    if (std::abs(*value - std::round(*value)) > 1e-6) return QObject::tr("a whole number");
    return "= " + QString::number(std::lround(*value)) + suffix();
}

void WholeField::tell() {
    Q_EMIT understood(echo());
}

void WholeField::keyPressEvent(QKeyEvent* event) {
    if (!takeBack(*this, *lineEdit(), before_, event)) QSpinBox::keyPressEvent(event);
}

void WholeField::focusInEvent(QFocusEvent* event) {
    before_ = value();
    QSpinBox::focusInEvent(event);
}

void WholeField::focusOutEvent(QFocusEvent* event) {
    QSpinBox::focusOutEvent(event);
    Q_EMIT understood({});
}

}  // namespace nk
