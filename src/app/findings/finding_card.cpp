#include "app/findings/finding_card.h"

#include <QApplication>
#include <QClipboard>
#include <QHBoxLayout>
#include <QLabel>
#include <QMouseEvent>
#include <QPushButton>
#include <QStyle>
#include <QVBoxLayout>

#include "app/theme/theme.h"
#include "app/theme/word_label.h"
#include "quantity/format.h"

namespace nk {

namespace {

QColor toneColour(CardTone tone) {
    const Theme& t = currentTheme();
    switch (tone) {
        case CardTone::Hazard:
            return t.hazard;
        case CardTone::Temperature:
            return t.temperature;
        case CardTone::Log:
            return t.muted;
        case CardTone::Capacity:
            return t.charge;
        default:
            return t.accent;
    }
}

QLabel* text(const QString& words, int pixels, int weight, const QColor& colour, QWidget* parent) {
    QString whole = words;
    whole.replace(" ± ", "\u00A0±\u00A0");  // a number and its uncertainty stay in one line
    auto* label = wordLabel(parent);
    label->setText(whole);
    label->setStyleSheet(QString("font-size:%1px;font-weight:%2;color:%3;")
                             .arg(pixels)
                             .arg(weight)
                             .arg(colour.name()));
    return label;
}

}  // namespace

FindingCard::FindingCard(const Card& card, int index, QWidget* parent)
    : QFrame(parent), card_(card), index_(index) {
    const Theme& t = currentTheme();
    setProperty("role", "card");
    setProperty("hazard", card.tone == CardTone::Hazard);
    setObjectName(QString("card-%1").arg(QString::fromStdString(card.code)));
    setAccessibleName(QString::fromStdString(card.kind + ": " + card.title));
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(13, 10, 13, 8);
    box->setSpacing(3);
    auto* head = new QHBoxLayout;
    head->setSpacing(6);
    if (card.tone == CardTone::Hazard) {
        auto* icon = new QLabel(this);
        icon->setPixmap(QIcon(":/icons/hazard.svg").pixmap(16, 16));
        icon->setAccessibleName(tr("Hazard"));
        head->addWidget(icon);
    }
    head->addWidget(text(QString::fromStdString(card.kind), 11, 600, toneColour(card.tone), this),
                    1);
    box->addLayout(head);
    box->addWidget(text(QString::fromStdString(unitsKept(card.title)), 14, 600, t.text, this));
    if (!card.value.empty()) {
        auto* row = new QHBoxLayout;
        row->setSpacing(8);
        auto* value = text(QString::fromStdString(card.value), 22, 600, t.text, this);
        value->setObjectName("value");
        value->setWordWrap(false);
        row->addWidget(value);
        auto* around = text(QString::fromStdString(card.plusMinus), 13, 400, t.muted, this);
        around->setToolTip(
            tr("Expanded uncertainty, k = 2: the true value lies within about 19 times out of 20"));
        around->setWordWrap(false);
        row->addWidget(around, 1, Qt::AlignBottom);
        box->addLayout(row);
    }
    for (const std::string& line : card.lines)
        box->addWidget(text(QString::fromStdString(unitsKept(line)), 12, 400, t.muted, this));
    how_ = text(QString::fromStdString(card.how), 12, 400, t.text, this);
    how_->setObjectName("howText");
    how_->hide();
    box->addWidget(how_);

    auto* links = new QHBoxLayout;
    links->setSpacing(8);
    const auto link = [&](const QString& words, const QString& name) {
        auto* b = new QPushButton(words, this);
        b->setProperty("role", "link");
        b->setObjectName(name);
        b->setCursor(Qt::PointingHandCursor);
        links->addWidget(b);
        return b;
    };
    if (!card.how.empty()) {
        auto* how = link(tr("how?"), "how");
        how->setAccessibleName(
            tr("How this was found: %1").arg(QString::fromStdString(card.title)));
        how->setCheckable(true);
        connect(how, &QPushButton::toggled, this, [this](bool on) { how_->setVisible(on); });
    }
    if (card.pointsAtCurve()) {
        auto* show = link(tr("show on curve"), "show");
        show->setAccessibleName(
            tr("Show on the curve: %1").arg(QString::fromStdString(card.title)));
        connect(show, &QPushButton::clicked, this, [this] { Q_EMIT evidenceRequested(index_); });
    }
    links->addStretch(1);
    if (!card.action.empty()) {
        auto* action = link(QString::fromStdString(card.action), "action");
        connect(action, &QPushButton::clicked, this, [this] { Q_EMIT actionRequested(index_); });
    }
    auto* copy = link(tr("copy"), "copy");
    copy->setAccessibleName(tr("Copy as text: %1").arg(QString::fromStdString(card.title)));
    connect(copy, &QPushButton::clicked, this, [this] {
        QApplication::clipboard()->setText(QString::fromStdString(card_.plainText()));
    });
    box->addLayout(links);
}

void FindingCard::setSelected(bool selected) {
    setProperty("selected", selected);
    style()->unpolish(this);
    style()->polish(this);
}

void FindingCard::mousePressEvent(QMouseEvent* event) {
    QFrame::mousePressEvent(event);
    if (card_.pointsAtCurve()) Q_EMIT evidenceRequested(index_);
}

}  // namespace nk
