#include "app/theme/field_grid.h"
#include "app/theme/quantity_field.h"

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QGridLayout>
#include <QLabel>
#include <QSpinBox>

namespace nk {

namespace {

/// A narrow space, then the unit; nothing for no unit.
QString suffixOf(const QString& unit) {
    return unit.isEmpty() ? QString() : QString(QChar(0x202F)) + unit;
}

}  // namespace

FieldGrid::FieldGrid(int columns, QWidget* parent) : QWidget(parent), columns_(columns) {
    auto* grid = new QGridLayout(this);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setHorizontalSpacing(6);
    grid->setVerticalSpacing(4);
    for (int k = 0; k < columns_; ++k) grid->setColumnStretch(2 * k + 1, 1);
}

void FieldGrid::add(const QString& label, QWidget* field, const char* name, const QString& more) {
    auto* l = new QLabel(label, this);
    l->setProperty("role", "muted");
    l->setBuddy(field);
    l->setToolTip(more);
    field->setParent(this);
    field->setObjectName(name);
    field->setAccessibleName(label);
    field->setToolTip(more);
    field->setProperty("role", "compact");
    fields_.emplace_back(l, field);
}

/// What a field understood stands in its label's place while it is typed into.
template <class Field>
void FieldGrid::echo(Field* field) {
    auto* label = static_cast<QLabel*>(fields_.back().first);
    connect(field, &Field::understood, label, [label, words = label->text()](const QString& said) {
        label->setText(said.isEmpty() ? words : said);
        label->setProperty("echo", said);
    });
}

QSpinBox* FieldGrid::whole(const QString& label, const char* name, int low, int high, int value,
                           const QString& suffix, const QString& more) {
    auto* s = new WholeField(this);
    s->setRange(low, high);
    s->setValue(value);
    s->setSuffix(suffixOf(suffix));
    s->setKeyboardTracking(false);
    connect(s, &QSpinBox::valueChanged, this, &FieldGrid::changed);
    add(label, s, name, more);
    echo(s);
    return s;
}

QuantityField* FieldGrid::decimal(const QString& label, const char* name, const FieldRange& range,
                                  double value, const QString& suffix, const QString& more) {
    auto* s = new QuantityField(this);
    s->setRange(range.low, range.high);
    s->setDecimals(range.digits);
    s->setSingleStep(range.step);
    s->setValue(value);
    s->setSuffix(suffixOf(suffix));
    s->setKeyboardTracking(false);
    connect(s, &QDoubleSpinBox::valueChanged, this, &FieldGrid::changed);
    add(label, s, name, more);
    echo(s);
    return s;
}

QComboBox* FieldGrid::choice(const QString& label, const char* name, const QStringList& items) {
    auto* s = new QComboBox(this);
    s->addItems(items);
    connect(s, &QComboBox::currentIndexChanged, this, &FieldGrid::changed);
    add(label, s, name);
    return s;
}

void FieldGrid::ask(QWidget* field, bool on) {
    for (const auto& [label, edit] : fields_)
        if (edit == field) {
            label->setVisible(on);
            edit->setVisible(on);
        }
}

void FieldGrid::layOut() {
    auto* grid = static_cast<QGridLayout*>(layout());
    while (QLayoutItem* item = grid->takeAt(0)) delete item;
    int place = 0;
    for (const auto& [label, field] : fields_) {
        if (field->isHidden()) continue;
        grid->addWidget(label, place / columns_, place % columns_ * 2);
        grid->addWidget(field, place / columns_, place % columns_ * 2 + 1);
        ++place;
    }
    setVisible(place > 0);
}

}  // namespace nk
