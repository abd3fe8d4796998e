#include "app/shell/start_screen.h"

#include <QFrame>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include "app/theme/word_label.h"

namespace nk {

StartScreen::StartScreen(QWidget* parent) : QWidget(parent) {
    setObjectName("startScreen");
    auto* outer = new QVBoxLayout(this);
    outer->addStretch(2);
    auto* title = new QLabel(tr("The shelf is empty"), this);
    title->setStyleSheet("font-size:24px;font-weight:600;");
    title->setAlignment(Qt::AlignHCenter);
    auto* text = wordLabel(this, "", "muted");
    text->setText(
        tr("Bring a log of a charge or discharge: time, voltage and current, from any logger. You "
           "get the steps, the capacity it really gave, and the knee, each with its proof on the "
           "curve. Everything is kept in your bench book on this computer."));
    text->setAlignment(Qt::AlignHCenter);
    text->setFixedWidth(560);
    text->setMinimumHeight(54);
    outer->addWidget(title);
    outer->addSpacing(4);
    outer->addWidget(text, 0, Qt::AlignHCenter);
    outer->addSpacing(20);
    auto* row = new QHBoxLayout;
    row->setSpacing(14);
    row->addStretch(1);
    const auto way = [&](const QString& name, const QString& words, const QString& button,
                         bool primary) {
        auto* card = new QFrame(this);
        card->setProperty("role", "card");
        card->setFixedWidth(230);
        auto* box = new QVBoxLayout(card);
        box->setContentsMargins(16, 14, 16, 16);
        auto* label = wordLabel(card, "", "muted");
        label->setText(words);
        label->setMinimumHeight(64);
        auto* b = new QPushButton(button, card);
        b->setObjectName(name);
        if (primary) b->setProperty("role", "primary");
        box->addWidget(label, 1);
        box->addWidget(b);
        row->addWidget(card);
        return b;
    };
    connect(way("startOpen",
                tr("A file from your logger: text, a spreadsheet or a MAT-file. You can also drop "
                   "it anywhere on this "
                   "window."),
                tr("Open a log…"), true),
            &QPushButton::clicked, this, &StartScreen::openRequested);
    connect(way("startPaste",
                tr("A table you copied from a spreadsheet or a web page, with its header row."),
                tr("Paste a table"), false),
            &QPushButton::clicked, this, &StartScreen::pasteRequested);
    connect(way("startDemo",
                tr("Made-up logs of a small observatory's field kit, to look around in. They can "
                   "be deleted again."),
                tr("Load the demo bench"), false),
            &QPushButton::clicked, this, &StartScreen::demoRequested);
    row->addStretch(1);
    outer->addLayout(row);
    outer->addStretch(3);
}

}  // namespace nk
