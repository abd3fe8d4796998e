// The first look: an empty shelf with three honest ways in.
#pragma once

#include <QWidget>

namespace nk {

class StartScreen : public QWidget {
    Q_OBJECT
  public:
    explicit StartScreen(QWidget* parent = nullptr);

  Q_SIGNALS:
    void openRequested();
    void pasteRequested();
    void demoRequested();
};

}  // namespace nk
