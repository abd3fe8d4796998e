// The battery card: name, chemistry, series and parallel count, rated capacity. Used when a log
// comes in and when a battery is edited. Says at once what does not fit.
#pragma once

#include <QDialog>
#include <vector>

#include "book/bench_book.h"

class QComboBox;
class QFormLayout;
class QLabel;
class QLineEdit;
class QPushButton;
class QSpinBox;

namespace nk {

class BatteryDetails;
class OriginForm;

class BatteryCard : public QDialog {
    Q_OBJECT
  public:
    /// `choices` are the batteries an incoming log may belong to; empty when a battery is edited.
    BatteryCard(const QString& title, const QString& intro, const Battery& start,
                std::vector<BatteryEntry> choices, QWidget* parent = nullptr);

    Battery battery() const;
    /// The chosen battery of the book, or 0 for a new one.
    std::int64_t chosenId() const;
    /// What the button that takes the card says.
    void setAcceptWords(const QString& words);
    /// Puts the preview of an incoming log above the card; folded away when the reading is sure.
    void setPreview(QWidget* preview, bool open);
    /// Puts what a log was taken with under the card's own fields.
    void setOrigin(OriginForm* origin);
    /// False: the log is not readable yet, whatever the card says.
    void setReadable(bool readable);
    /// Voltages of the log, to show what they say of the series count.
    void setTopVoltage(double high_V, bool charges);

  private:
    void fill(const Battery& battery);
    void check();

    std::vector<BatteryEntry> choices_;
    Battery start_;
    double high_V_ = 0;
    bool charges_ = false;
    /// Takes what a line of the label tells into the fields.
    void readLabelLine(const QString& line);

    QString labelSays_;  ///< of the last line: what it is, and what does not fit
    QLineEdit* label_ = nullptr;
    QComboBox* which_ = nullptr;
    QLineEdit* name_ = nullptr;
    QComboBox* chemistry_ = nullptr;
    QSpinBox* series_ = nullptr;
    QSpinBox* parallel_ = nullptr;
    QLineEdit* rated_ = nullptr;
    QPushButton* more_ = nullptr;
    BatteryDetails* details_ = nullptr;
    OriginForm* origin_ = nullptr;
    QFormLayout* form_ = nullptr;
    QPushButton* reading_ = nullptr;
    bool readable_ = true;
    QLabel* note_ = nullptr;
    QPushButton* accept_ = nullptr;
};

}  // namespace nk
