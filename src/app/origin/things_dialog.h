// Instruments and chargers of the book: accuracy and checks of the one, what all its charges tell
// of the other.
#pragma once

#include <QDialog>

#include "history/charger_audit.h"

class QLabel;
class QPushButton;
class QTableWidget;

namespace nk {

struct BookThings {
    std::vector<InstrumentEntry> instruments;
    std::vector<MeterCheck> checks;
    std::vector<ChargerAudit> chargers;
    std::vector<RecordingEntry> recordings;
};
/// Read in a worker. Errors: the book cannot be read.
Expected<BookThings> readThings(BenchBook& book);

class ThingsDialog : public QDialog {
    Q_OBJECT
  public:
    ThingsDialog(BookThings things, QWidget* parent = nullptr);

  Q_SIGNALS:
    /// The accuracy of an instrument was typed anew.
    void accuracyChanged(qlonglong instrumentId, qlonglong revision, const nk::Instrument& changed);

  private:
    void addInstruments(class QVBoxLayout* box);
    void addChargers(class QVBoxLayout* box);

    BookThings things_;
};

}  // namespace nk
