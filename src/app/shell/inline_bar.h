// The line above the stations that says what happened, or what went wrong.
#pragma once

#include <QWidget>

class QLabel;

namespace nk {

class InlineBar : public QWidget {
    Q_OBJECT
  public:
    explicit InlineBar(QWidget* parent = nullptr);

    void say(const QString& words, bool problem);
    /// Something new was begun (its name): what was said before is over. An empty name changes
    /// nothing.
    void clear(const QString& begun);

  private:
    QLabel* words_ = nullptr;
};

}  // namespace nk
