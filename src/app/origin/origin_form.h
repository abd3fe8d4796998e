// What a log was taken with and what charged the battery: two lines that can be left open. A new
// instrument says its accuracy in one line.
#pragma once

#include <QObject>

#include "app/session/book_work.h"
#include "app/session/session.h"

class QComboBox;
class QFormLayout;
class QLineEdit;

namespace nk {

class OriginForm : public QObject {
    Q_OBJECT
  public:
    OriginForm(std::vector<InstrumentEntry> instruments, std::vector<ChargerEntry> chargers,
               QObject* parent = nullptr);

    /// Adds its lines to a form, which must belong to a widget. Once.
    void addTo(QFormLayout* form);

    /// `shape`: of the log's table (history/take_in.h); the instrument that is known for it is
    /// chosen.
    void setShape(const std::string& shape);
    void choose(std::int64_t instrumentId, std::int64_t chargerId);

    /// What is typed; a new name makes a new thing.
    LogOrigin origin() const;
    /// Why what is typed cannot be taken; empty: it can.
    QString problem() const;

  Q_SIGNALS:
    void changed();

  private:
    void showAccuracy();

    std::vector<InstrumentEntry> instruments_;
    std::vector<ChargerEntry> chargers_;
    std::string shape_;
    QComboBox* instrument_ = nullptr;
    QLineEdit* accuracy_ = nullptr;
    QComboBox* charger_ = nullptr;
};

/// With the instruments and chargers of the session's book.
OriginForm* newOriginForm(Session& session, QObject* parent);

}  // namespace nk
