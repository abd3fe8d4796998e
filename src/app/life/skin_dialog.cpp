#include "app/life/skin_dialog.h"

#include <QCheckBox>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QVBoxLayout>

#include "app/theme/word_label.h"
#include "quantity/phrase.h"

namespace nk {

SkinDialog::SkinDialog(const QString& battery, QWidget* parent) : QDialog(parent) {
    setObjectName("skin");
    setWindowTitle(tr("A look at its skin"));
    setMinimumWidth(520);
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(18, 16, 18, 16);
    box->setSpacing(10);
    auto* intro = wordLabel(this);
    intro->setText(
        tr("What do you see, feel or smell at %1? Nothing ticked: all is well.").arg(battery));
    box->addWidget(intro);
    auto* grid = new QGridLayout;
    int k = 0;
    for (const SkinSign& sign : skinSigns()) {
        auto* tick = new QCheckBox(QString::fromStdString(phrase(sign.words)), this);
        tick->setObjectName(QString("sign-%1").arg(sign.id));
        connect(tick, &QCheckBox::toggled, this, &SkinDialog::tell);
        grid->addWidget(tick, k / 2, k % 2);
        boxes_.push_back(tick);
        ++k;
    }
    box->addLayout(grid);
    note_ = new QLineEdit(this);
    note_->setObjectName("skinNote");
    note_->setMaxLength(500);
    note_->setPlaceholderText(tr("where, how large; may be left open"));
    note_->setAccessibleName(tr("Note"));
    box->addWidget(note_);
    words_ = wordLabel(this, "skinWords");
    words_->setMinimumHeight(56);
    box->addWidget(words_);
    auto* row = new QHBoxLayout;
    row->addStretch(1);
    auto* cancel = new QPushButton(tr("Cancel"), this);
    keep_ = new QPushButton(this);
    keep_->setObjectName("skinKeep");
    keep_->setProperty("role", "primary");
    keep_->setDefault(true);
    row->addWidget(cancel);
    row->addWidget(keep_);
    box->addLayout(row);
    connect(cancel, &QPushButton::clicked, this, &QDialog::reject);
    connect(keep_, &QPushButton::clicked, this, &QDialog::accept);
    tell();
}

std::vector<std::string> SkinDialog::signs() const {
    std::vector<std::string> out;
    for (std::size_t k = 0; k < boxes_.size(); ++k)
        if (boxes_[k]->isChecked()) out.emplace_back(skinSigns()[k].id);
    return out;
}

QString SkinDialog::note() const {
    return note_->text().trimmed();
}

void SkinDialog::tell() {
    const SkinGrade grade = gradeOf(signs());
    words_->setText(
        grade == SkinGrade::Hazard
            ? tr("HAZARD: it goes out of use until you say otherwise. Do not charge or test it; "
                 "put "
                 "it where a fire does no harm, tape its terminals, recycle it by the local rules.")
        : grade == SkinGrade::Watch ? tr("Put it right before the next charge, and look again.")
                                    : QString());
    words_->setProperty("role", grade == SkinGrade::Hazard ? "hazard" : "");
    keep_->setText(grade == SkinGrade::Hazard ? tr("Take it out of use") : tr("Keep"));
}

}  // namespace nk
