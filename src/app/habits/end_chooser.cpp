#include "app/habits/end_chooser.h"

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QStandardItemModel>
#include <cmath>
#include <sstream>

#include "app/theme/quantity_field.h"
#include "quantity/phrase.h"

namespace nk {

EndChooser::EndChooser(QWidget* parent) : QWidget(parent) {
    auto* box = new QHBoxLayout(this);
    box->setContentsMargins(0, 0, 0, 0);
    auto* label = new QLabel(tr("It counts as over at"), this);
    label->setProperty("role", "muted");
    value_ = new QuantityField(this);
    value_->setObjectName("fadeEndValue");
    value_->setAccessibleName(tr("Where it counts as over"));
    value_->setKeyboardTracking(false);
    label->setBuddy(value_);
    kind_ = new QComboBox(this);
    kind_->setObjectName("fadeEndOf");
    kind_->setAccessibleName(tr("What the end is told of"));
    kind_->addItems({tr("% of its first capacity"), tr("% of its label"), tr("Ah"),
                     tr("% of its first resistance"), tr("mΩ")});
    box->addWidget(label);
    box->addWidget(value_);
    box->addWidget(kind_);
    box->addStretch(1);
    setKind(Kind::First);
    connect(value_, &QDoubleSpinBox::valueChanged, this, [this] {
        if (!filling_) Q_EMIT changed();
    });
    connect(kind_, &QComboBox::activated, this, [this] {
        setKind(kind());
        Q_EMIT changed();
    });
}

EndChooser::Kind EndChooser::kind() const {
    return static_cast<Kind>(kind_->currentIndex());
}

void EndChooser::setKind(Kind kind) {
    filling_ = true;
    kind_->setCurrentIndex(static_cast<int>(kind));
    const bool share = kind == Kind::First || kind == Kind::Label;
    value_->setDecimals(kind == Kind::Charge || kind == Kind::Ohms ? 2 : 0);
    value_->setSingleStep(kind == Kind::Charge ? 0.1 : share ? 5 : kind == Kind::Ohms ? 1 : 10);
    if (share) {
        value_->setRange(1, 99);
        value_->setValue(80);
    } else if (kind == Kind::Resistance) {
        value_->setRange(101, 1000);
        value_->setValue(150);
    } else if (kind == Kind::Charge) {
        value_->setRange(0.01, 10000);
        value_->setValue(1);
    } else {
        value_->setRange(0.01, 100000);
        value_->setValue(50);
    }
    filling_ = false;
}

void EndChooser::setRated(bool known) {
    if (auto* items = qobject_cast<QStandardItemModel*>(kind_->model()))
        items->item(static_cast<int>(Kind::Label))->setEnabled(known);
}

void EndChooser::setQuestion(const FadeQuestion& q) {
    const bool figure = std::isfinite(q.figure);
    const bool resistance = q.of == FadeOf::Resistance;
    setKind(resistance  ? (figure ? Kind::Ohms : Kind::Resistance)
            : figure    ? Kind::Charge
            : q.ofLabel ? Kind::Label
                        : Kind::First);
    filling_ = true;
    value_->setValue(!figure ? 100 * q.fraction : resistance ? 1000 * q.figure : q.figure);
    filling_ = false;
}

FadeQuestion EndChooser::question() const {
    FadeQuestion out;
    const Kind k = kind();
    if (k == Kind::Resistance || k == Kind::Ohms) out.of = FadeOf::Resistance;
    out.ofLabel = k == Kind::Label;
    if (k == Kind::Charge)
        out.figure = value_->value();
    else if (k == Kind::Ohms)
        out.figure = value_->value() / 1000;
    else
        out.fraction = value_->value() / 100;
    return out;
}

QString endWords(const FadeQuestion& q) {
    if (std::isfinite(q.figure))
        return QString::fromStdString(q.of == FadeOf::Resistance
                                          ? phrase("{:.1f} mΩ", 1000 * q.figure)
                                          : phrase("{:.2f} Ah", q.figure));
    const double percent = 100 * q.fraction;
    if (q.of == FadeOf::Resistance)
        return QString::fromStdString(phrase("{:.0f} % of its first resistance", percent));
    return QString::fromStdString(q.ofLabel ? phrase("{:.0f} % of its label", percent)
                                            : phrase("{:.0f} % of its first capacity", percent));
}

std::string keptEnd(const FadeQuestion& q) {
    std::ostringstream out;
    out.imbue(std::locale::classic());
    out.precision(12);
    const bool figure = std::isfinite(q.figure);
    if (q.of == FadeOf::Resistance)
        out << (figure ? "ohm " : "grown ");
    else
        out << (figure ? "Ah " : q.ofLabel ? "label " : "first ");
    out << (figure ? q.figure : q.fraction);
    return out.str();
}

FadeQuestion endIn(const std::string& kept) {
    std::istringstream in(kept);
    in.imbue(std::locale::classic());
    std::string kind;
    double value = 0;
    FadeQuestion out;
    if (!(in >> kind >> value) || !std::isfinite(value) || !(value > 0)) return out;
    if (kind == "ohm" || kind == "grown") {
        if (kind == "grown" && !(value >= 1.01 && value <= 10)) return out;
        out.of = FadeOf::Resistance;
    } else if (kind != "Ah" && !(value >= 0.01 && value <= 0.99)) {
        return out;
    }
    if (kind == "ohm" || kind == "Ah")
        out.figure = value;
    else
        out.fraction = value;
    out.ofLabel = kind == "label";
    return out;
}

}  // namespace nk
