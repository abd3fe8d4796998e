// A resistance read from a meter or a charger, entered by hand, once or several times.
#pragma once

#include <QDialog>

#include "book/bench_book.h"

class QComboBox;
class QLabel;
class QLineEdit;
class QPushButton;

namespace nk {

class ResistanceDialog : public QDialog {
    Q_OBJECT
  public:
    explicit ResistanceDialog(const Battery& battery, QWidget* parent = nullptr);
    /// Without battery and time, which the window knows.
    SpotReading reading() const { return reading_; }

  private:
    void check();

    Battery battery_;
    SpotReading reading_;
    QComboBox* method_ = nullptr;
    QLineEdit* values_ = nullptr;
    QLineEdit* temperature_ = nullptr;
    QLabel* note_ = nullptr;
    QPushButton* accept_ = nullptr;
};

}  // namespace nk
