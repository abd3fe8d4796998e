#include "app/plan/card_view.h"

#include <QCheckBox>
#include <QGridLayout>
#include <QLabel>
#include <QVBoxLayout>

#include "app/theme/let_go.h"
#include "app/theme/word_label.h"

namespace nk {

CardView::CardView(QWidget* parent) : QWidget(parent) {
    box_ = new QVBoxLayout(this);
    box_->setContentsMargins(0, 0, 0, 0);
    box_->setSpacing(6);
}

void CardView::clear() {
    ticks_.clear();
    letGoOf(box_);
}

QStringList CardView::ticked() const {
    QStringList out;
    for (const QCheckBox* t : ticks_)
        if (t->isChecked()) out << t->text();
    return out;
}

QStringList CardView::open() const {
    QStringList out;
    for (const QCheckBox* t : ticks_)
        if (!t->isChecked()) out << t->text();
    return out;
}

void CardView::setCard(const BenchCard& card) {
    const QStringList before = ticked();
    clear();
    auto* table = new QWidget(this);
    auto* grid = new QGridLayout(table);
    grid->setContentsMargins(0, 4, 0, 4);
    grid->setHorizontalSpacing(14);
    grid->setVerticalSpacing(5);
    int row = 0;
    for (const BenchCard::Row& r : card.rows) {
        if (row == kMostRows) break;
        QLabel* name = wordLabel(table, "cardName", "muted");
        name->setText(r.name);
        name->setWordWrap(false);
        QLabel* value = wordLabel(table, "cardValue", "");
        value->setText(r.value);
        value->setWordWrap(false);
        QFont big = font();
        big.setPixelSize(15);
        big.setWeight(QFont::DemiBold);
        value->setFont(big);
        QLabel* why = wordLabel(table, "cardWhy", "");
        why->setText(r.reason);
        grid->addWidget(name, row, 0);
        grid->addWidget(value, row, 1);
        grid->addWidget(why, row, 2);
        ++row;
    }
    grid->setColumnStretch(2, 1);
    box_->addWidget(table);
    const auto part = [&](const QString& title, const QStringList& lines, bool tick) {
        if (lines.isEmpty()) return;
        QLabel* head = wordLabel(this, "cardPart", "heading");
        head->setText(title);
        box_->addWidget(head);
        for (const QString& line : lines) {
            if (tick) {
                auto* check = new QCheckBox(line, this);
                check->setObjectName("preflight");
                check->setChecked(before.contains(line));
                ticks_.push_back(check);
                box_->addWidget(check);
            } else {
                QLabel* one = wordLabel(this, "cardLine", "");
                one->setText(line);
                box_->addWidget(one);
            }
        }
    };
    part(tr("Before the start"), card.preflight, true);
    part(tr("Why"), card.reasons, false);
    part(tr("Cautions"), card.cautions, false);
    box_->addStretch(1);
}

}  // namespace nk
