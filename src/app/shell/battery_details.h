// The folded part of the battery card: mass, label C rating, what is set on the charger, and the
// maker's own limits. A limit beyond the chemistry's published one needs an explicit tick.
#pragma once

#include <QWidget>

#include "chemistry/chemistry.h"

class QCheckBox;
class QLabel;
class QLineEdit;

namespace nk {

class BatteryDetails : public QWidget {
    Q_OBJECT
  public:
    explicit BatteryDetails(QWidget* parent = nullptr);

    void fill(const Battery& battery);
    /// Writes the fields into a battery whose chemistry is set already.
    void apply(Battery& battery) const;
    /// What is wrong, or needs an explicit step, for this chemistry; empty when all is well.
    QString problem(const std::string& chemistry) const;

  Q_SIGNALS:
    void changed();

  private:
    /// A number typed by a person, with comma or point and an optional unit; NaN when empty.
    static double number(const QLineEdit* edit, bool& readable);
    MakerLimits limits() const;

    QLineEdit* mass_ = nullptr;
    QLineEdit* labelC_ = nullptr;
    QLineEdit* ambient_ = nullptr;
    QLineEdit* setCurrent_ = nullptr;
    QLineEdit* setCharge_ = nullptr;
    QLineEdit* set_V_ = nullptr;
    QLineEdit* floor_V_ = nullptr;
    QLineEdit* coldest_ = nullptr;
    QLineEdit* warmest_ = nullptr;
    QLineEdit* chargeC_ = nullptr;
    QLineEdit* balancer_ = nullptr;
    QCheckBox* sheet_ = nullptr;
};

}  // namespace nk
