// F1: a page that explains the words of a station in a few sentences.
#pragma once

#include <QDialog>

namespace nk {

class HelpPage : public QDialog {
    Q_OBJECT
  public:
    explicit HelpPage(QWidget* parent = nullptr);
};

}  // namespace nk
