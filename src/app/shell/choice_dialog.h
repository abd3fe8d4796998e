// One question with a few answers, each said in words of its own: for decisions that have no usual
// one.
#pragma once

#include <QDialog>
#include <QStringList>

namespace nk {

class ChoiceDialog : public QDialog {
    Q_OBJECT
  public:
    ChoiceDialog(const QString& title, const QString& question, const QStringList& answers,
                 const QString& leave, QWidget* parent = nullptr);
    /// Index of the answer; −1: left.
    int chosen() const { return chosen_; }

  private:
    int chosen_ = -1;
};

}  // namespace nk
