// The one field for quantities: takes what the command line takes ("500 mA", "0,5C", "1 h 20"),
// says beside it what it understood while it is typed into, doubts what is out of its range, and
// hears the wheel only with the focus. Esc takes back what was typed.
#pragma once

#include <QDoubleSpinBox>
#include <QSpinBox>

class QApplication;

namespace nk {

/// Fields of the whole program hear the wheel only with the focus, and never get it by the wheel.
void calmFields(QApplication& app);

class QuantityField : public QDoubleSpinBox {
    Q_OBJECT
  public:
    explicit QuantityField(QWidget* parent = nullptr);
    /// The unit of the value is its suffix. So that amperes can be typed where a rate is wanted,
    /// and the other way round.
    void setCapacity(double capacity_Ah) { capacity_Ah_ = capacity_Ah; }
    /// Digits behind the decimal sign that are shown at least; more where the value has them.
    void setDecimals(int digits);
    /// What it makes of the text: the value with its unit, or why it is none.
    QString echo() const;

    QString textFromValue(double value) const override;
    double valueFromText(const QString& text) const override;
    QValidator::State validate(QString& text, int& position) const override;
    void fixup(QString& text) const override;

  Q_SIGNALS:
    /// While it is typed into; empty when nothing is to be said.
    void understood(const QString& echo);

  protected:
    void keyPressEvent(QKeyEvent* event) override;
    void focusInEvent(QFocusEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;

  private:
    void tell();
    double capacity_Ah_ = 0;
    double before_ = 0;
    int leastDecimals_ = 2;
};

/// The same for whole numbers.
class WholeField : public QSpinBox {
    Q_OBJECT
  public:
    explicit WholeField(QWidget* parent = nullptr);
    QString echo() const;

    QString textFromValue(int value) const override { return QSpinBox::textFromValue(value); }
    int valueFromText(const QString& text) const override;
    QValidator::State validate(QString& text, int& position) const override;
    void fixup(QString& text) const override;

  Q_SIGNALS:
    void understood(const QString& echo);

  protected:
    void keyPressEvent(QKeyEvent* event) override;
    void focusInEvent(QFocusEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;

  private:
    void tell();
    int before_ = 0;
};

}  // namespace nk
