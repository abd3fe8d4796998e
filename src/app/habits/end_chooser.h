// Which end of a battery's life is meant: a share of its first capacity or of the label, a figure,
// or a resistance that has grown.
#pragma once

#include <QWidget>

#include "history/fade_report.h"

class QComboBox;
class QDoubleSpinBox;

namespace nk {

class EndChooser : public QWidget {
    Q_OBJECT
  public:
    explicit EndChooser(QWidget* parent = nullptr);
    void setQuestion(const FadeQuestion& question);
    /// `of`, `fraction`, `ofLabel` and `figure`; the rest as in a new one.
    FadeQuestion question() const;
    /// The label can be meant only where a rating is known.
    void setRated(bool known);

  Q_SIGNALS:
    void changed();

  private:
    enum class Kind { First, Label, Charge, Resistance, Ohms };
    Kind kind() const;
    void setKind(Kind kind);

    QDoubleSpinBox* value_ = nullptr;
    QComboBox* kind_ = nullptr;
    bool filling_ = false;
};

/// "80 % of its first capacity", "2.00 Ah".
QString endWords(const FadeQuestion& question);
/// For the book's settings: "first 0.8", "label 0.8", "Ah 2", "grown 1.5", "ohm 0.03".
std::string keptEnd(const FadeQuestion& question);
/// What cannot be read is the usual end.
FadeQuestion endIn(const std::string& kept);

}  // namespace nk
