#include "app/life/rules_dialog.h"

#include <QDoubleSpinBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QVBoxLayout>

#include "app/theme/quantity_field.h"
#include "app/theme/word_label.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

template <class Rules>
void addFields(QFormLayout* form, const std::vector<RuleField<Rules>>& fields,
               std::vector<QDoubleSpinBox*>& into, QWidget* parent) {
    for (const auto& f : fields) {
        auto* box = new QuantityField(parent);
        box->setObjectName(QString("rule-%1").arg(f.id));
        const double scale = f.percent ? 100 : 1;
        box->setDecimals(f.percent ? 1 : f.most > 100 ? 0 : 2);
        box->setRange(f.least * scale, f.most * scale);
        if (f.percent) box->setSuffix(" %");
        box->setMinimumWidth(110);
        auto* words = wordLabel(parent);
        words->setText(QString::fromStdString(phrase(f.words)));
        words->setMinimumWidth(380);
        words->setBuddy(box);
        form->addRow(words, box);
        into.push_back(box);
    }
}

template <class Rules>
void fillIn(const Rules& rules, const std::vector<RuleField<Rules>>& fields,
            const std::vector<QDoubleSpinBox*>& boxes) {
    for (std::size_t k = 0; k < fields.size(); ++k)
        boxes[k]->setValue(rules.*fields[k].value * (fields[k].percent ? 100 : 1));
}

template <class Rules>
Rules read(const std::vector<RuleField<Rules>>& fields, const std::vector<QDoubleSpinBox*>& boxes) {
    Rules out;
    for (std::size_t k = 0; k < fields.size(); ++k)
        out.*fields[k].value = boxes[k]->value() / (fields[k].percent ? 100 : 1);
    return out;
}

QLabel* title(const QString& words, QWidget* parent) {
    auto* label = new QLabel(words, parent);
    label->setProperty("role", "title");
    return label;
}

}  // namespace

RulesDialog::RulesDialog(const VerdictRules& verdict, const DueRules& due, QWidget* parent)
    : QDialog(parent) {
    setObjectName("rules");
    setWindowTitle(tr("Rules"));
    resize(620, 620);
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(18, 16, 18, 16);
    box->setSpacing(8);
    auto* scroll = new QScrollArea(this);
    scroll->setWidgetResizable(true);
    auto* body = new QWidget;
    body->setObjectName("scrollBody");
    auto* rows = new QVBoxLayout(body);
    rows->setContentsMargins(0, 0, 10, 0);
    rows->addWidget(title(tr("When a battery is kept, watched, retired"), body));
    auto* first = new QFormLayout;
    addFields(first, verdictFields(), verdict_, body);
    rows->addLayout(first);
    rows->addSpacing(10);
    rows->addWidget(title(tr("When something is due"), body));
    auto* second = new QFormLayout;
    addFields(second, dueFields(), due_, body);
    rows->addLayout(second);
    auto* source = wordLabel(body, "", "muted");
    source->setText(tr(
        "They are this book's. What stands here at first is common practice, without a source."));
    rows->addWidget(source);
    rows->addStretch(1);
    scroll->setWidget(body);
    box->addWidget(scroll, 1);
    auto* row = new QHBoxLayout;
    auto* usual = new QPushButton(tr("As at first"), this);
    usual->setObjectName("rulesUsual");
    auto* cancel = new QPushButton(tr("Cancel"), this);
    auto* keep = new QPushButton(tr("Keep"), this);
    keep->setObjectName("rulesKeep");
    keep->setProperty("role", "primary");
    keep->setDefault(true);
    row->addWidget(usual);
    row->addStretch(1);
    row->addWidget(cancel);
    row->addWidget(keep);
    box->addLayout(row);
    connect(usual, &QPushButton::clicked, this, [this] { fill({}, {}); });
    connect(cancel, &QPushButton::clicked, this, &QDialog::reject);
    connect(keep, &QPushButton::clicked, this, &QDialog::accept);
    fill(verdict, due);
}

void RulesDialog::fill(const VerdictRules& verdict, const DueRules& due) {
    fillIn(verdict, verdictFields(), verdict_);
    fillIn(due, dueFields(), due_);
}

VerdictRules RulesDialog::verdict() const {
    return read(verdictFields(), verdict_);
}

DueRules RulesDialog::due() const {
    return read(dueFields(), due_);
}

}  // namespace nk
