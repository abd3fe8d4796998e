#include "app/shell/choice_dialog.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include "app/theme/word_label.h"

namespace nk {

ChoiceDialog::ChoiceDialog(const QString& title, const QString& question,
                           const QStringList& answers, const QString& leave, QWidget* parent)
    : QDialog(parent) {
    setObjectName("choice");
    setWindowTitle("Narrow Knee");
    constexpr int kWidth = 520;
    setFixedWidth(kWidth + 40);
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(20, 18, 20, 14);
    box->setSpacing(8);
    auto* head = wordLabel(this, "", "title");
    head->setText(title);
    box->addWidget(head);
    auto* words = wordLabel(this, "question");
    words->setText(question);
    words->setAlignment(Qt::AlignTop | Qt::AlignLeft);
    words->setTextInteractionFlags(Qt::TextSelectableByMouse | Qt::TextSelectableByKeyboard);
    // A label that wraps does not tell a window how tall it is.
    words->ensurePolished();
    words->setMinimumHeight(words->heightForWidth(kWidth));
    box->addWidget(words);
    box->addSpacing(6);
    for (int k = 0; k < answers.size(); ++k) {
        auto* button = new QPushButton(answers[k], this);
        button->setObjectName(QString("answer%1").arg(k));
        if (k == 0) {
            button->setProperty("role", "primary");
            button->setDefault(true);
        }
        connect(button, &QPushButton::clicked, this, [this, k] {
            chosen_ = k;
            accept();
        });
        box->addWidget(button);
    }
    if (leave.isEmpty()) return;
    auto* row = new QHBoxLayout;
    row->addStretch(1);
    auto* away = new QPushButton(leave, this);
    away->setObjectName("leave");
    away->setProperty("role", "link");
    connect(away, &QPushButton::clicked, this, &QDialog::reject);
    row->addWidget(away);
    box->addLayout(row);
}

}  // namespace nk
