// The readings pad: one line for what a display shows; what was understood is echoed as chips while
// it is typed, and slips are questioned.
#pragma once

#include <QDialog>

#include "history/pad.h"

class QDateTimeEdit;
class QLabel;
class QLineEdit;
class QPushButton;

namespace nk {

class PadDialog : public QDialog {
    Q_OBJECT
  public:
    PadDialog(const BatteryEntry& battery, QWidget* parent = nullptr);
    /// With a reading that was kept before, to be changed or taken away.
    PadDialog(const BatteryEntry& battery, const SpotReading& kept, QWidget* parent = nullptr);

    /// With battery, moment and note in each of them.
    std::vector<SpotReading> readings() const;

  Q_SIGNALS:
    void takeAwayRequested();

  private:
    void read();

    BatteryEntry battery_;
    PadLine line_;
    SpotReading kept_;  ///< empty kind: none
    QLineEdit* typed_ = nullptr;
    QLabel* chips_ = nullptr;
    QLabel* words_ = nullptr;
    QDateTimeEdit* at_ = nullptr;
    QLineEdit* note_ = nullptr;
    QPushButton* keep_ = nullptr;
    QPushButton* away_ = nullptr;
};

}  // namespace nk
