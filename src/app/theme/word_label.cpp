#include "app/theme/word_label.h"

#include <QLabel>
#include <cstring>

namespace nk {

QString keepFigures(QString words) {
    for (qsizetype at = words.indexOf(" %"); at > 0; at = words.indexOf(" %", at + 1))
        if (words[at - 1].isDigit()) words[at] = QChar(0x202F);
    return words;
}

QLabel* wordLabel(QWidget* parent, const char* name, const char* role) {
    auto* label = new QLabel(parent);
    label->setObjectName(name);
    label->setTextFormat(Qt::PlainText);
    label->setWordWrap(true);
    label->setAlignment(Qt::AlignTop);
    label->setTextInteractionFlags(Qt::TextSelectableByMouse);
    if (std::strlen(role) > 0) label->setProperty("role", role);
    return label;
}

}  // namespace nk
