#include "app/findings/findings_panel.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QScrollBar>
#include <QVBoxLayout>
#include <algorithm>

#include "app/findings/finding_card.h"
#include "app/theme/let_go.h"

namespace nk {

FindingsPanel::FindingsPanel(QWidget* parent) : QWidget(parent) {
    setObjectName("findings");
    setAttribute(Qt::WA_StyledBackground);
    setFixedWidth(322);
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(12, 10, 6, 8);
    auto* head = new QHBoxLayout;
    heading_ = new QLabel(tr("Findings"), this);
    heading_->setProperty("role", "heading");
    head->addWidget(heading_, 1);
    sheet_ = new QPushButton(tr("Bench sheet…"), this);
    sheet_->setObjectName("sheet");
    sheet_->setProperty("role", "link");
    sheet_->setToolTip(tr("One page about this recording, as HTML or PDF (Ctrl+P)"));
    sheet_->setEnabled(false);
    head->addWidget(sheet_);
    head->addSpacing(6);
    box->addLayout(head);
    scroll_ = new QScrollArea(this);
    scroll_->setWidgetResizable(true);
    scroll_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll_->setFocusPolicy(Qt::NoFocus);
    auto* body = new QWidget;
    body->setObjectName("scrollBody");
    list_ = new QVBoxLayout(body);
    list_->setContentsMargins(0, 0, 4, 0);
    list_->setSpacing(9);
    more_ = new QPushButton(body);
    more_->setObjectName("moreFindings");
    more_->hide();
    connect(more_, &QPushButton::clicked, this, &FindingsPanel::showMore);
    list_->addWidget(more_);
    list_->addStretch(1);
    scroll_->setWidget(body);
    box->addWidget(scroll_, 1);
    connect(sheet_, &QPushButton::clicked, this, &FindingsPanel::sheetRequested);
}

void FindingsPanel::setHeading(const QString& words) {
    heading_->setText(words);
}

void FindingsPanel::setCards(std::vector<Card> cards) {
    for (FindingCard* w : widgets_) {
        list_->removeWidget(w);
        letGo(w);
    }
    widgets_.clear();
    cards_ = std::move(cards);
    showMore();
    sheet_->setEnabled(!cards_.empty());
    scroll_->verticalScrollBar()->setValue(0);
}

void FindingsPanel::showMore() {
    const std::size_t end = std::min(cards_.size(), widgets_.size() + kBatch);
    for (std::size_t k = widgets_.size(); k < end; ++k) {
        auto* card = new FindingCard(cards_[k], static_cast<int>(k), scroll_->widget());
        list_->insertWidget(static_cast<int>(k), card);
        widgets_.push_back(card);
        connect(card, &FindingCard::evidenceRequested, this, &FindingsPanel::evidenceRequested);
        connect(card, &FindingCard::actionRequested, this, &FindingsPanel::actionRequested);
    }
    const std::size_t left = cards_.size() - widgets_.size();
    more_->setVisible(left > 0);
    more_->setText(tr("Show %1 of %2 more findings").arg(std::min(left, kBatch)).arg(left));
}

void FindingsPanel::selectCard(int index) {
    while (index >= static_cast<int>(widgets_.size()) && widgets_.size() < cards_.size())
        showMore();
    for (std::size_t k = 0; k < widgets_.size(); ++k)
        widgets_[k]->setSelected(static_cast<int>(k) == index);
    if (index >= 0 && index < static_cast<int>(widgets_.size()))
        scroll_->ensureWidgetVisible(widgets_[static_cast<std::size_t>(index)]);
}

}  // namespace nk
