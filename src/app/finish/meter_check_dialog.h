// The meter check: readings of an independent meter beside the log, what they say, and the
// correction that can be applied. Decides nothing itself; the core does (analysis/finish).
#pragma once

#include <QDialog>

#include "analysis/finish/meter_check.h"

class QLabel;
class QPushButton;
class QTableWidget;

namespace nk {

class MeterCheckDialog : public QDialog {
    Q_OBJECT
  public:
    /// `moments` are offered as times to begin with: one at rest and one with current flowing.
    MeterCheckDialog(RecordingPtr recording, const std::vector<double>& moments,
                     QWidget* parent = nullptr);

    const std::vector<Correction>& proposals() const { return verdict_.proposals; }

  private:
    void addRow(double time_s);
    void check();

    RecordingPtr recording_;
    MeterVerdict verdict_;
    QTableWidget* table_ = nullptr;
    QLabel* words_ = nullptr;
    QPushButton* apply_ = nullptr;
};

}  // namespace nk
