#include "app/shell/inline_bar.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QStyle>

#include "app/theme/word_label.h"

namespace nk {

InlineBar::InlineBar(QWidget* parent) : QWidget(parent) {
    setObjectName("inlineBar");
    setAttribute(Qt::WA_StyledBackground);
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(12, 6, 6, 6);
    words_ = wordLabel(this, "inlineText");
    words_->setAlignment(Qt::AlignVCenter);
    auto* close = new QPushButton(tr("Close"), this);
    close->setProperty("role", "link");
    row->addWidget(words_, 1);
    row->addWidget(close);
    hide();
    connect(close, &QPushButton::clicked, this, &QWidget::hide);
}

void InlineBar::say(const QString& words, bool problem) {
    words_->setText(words);
    setProperty("hazard", problem);
    style()->unpolish(this);
    style()->polish(this);
    show();
}

void InlineBar::clear(const QString& begun) {
    if (!begun.isEmpty()) hide();
}

}  // namespace nk
