#include "app/theme/word_label.h"

#include <QLabel>
#include <cstring>

namespace nk {

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
