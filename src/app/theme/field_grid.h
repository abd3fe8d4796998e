// A form in columns: labels beside what they name, those that are not asked for taken out without a
// gap.
#pragma once

#include <QWidget>
#include <utility>
#include <vector>

class QComboBox;
class QSpinBox;

namespace nk {

class QuantityField;

/// A number's least and most, its step and its digits.
struct FieldRange {
    double low, high, step;
    int digits;
};

class FieldGrid : public QWidget {
    Q_OBJECT
  public:
    /// `columns` pairs of a label and a field beside each other.
    FieldGrid(int columns, QWidget* parent);

    /// Puts a field of the caller's in, with its label, object name and what the label does not
    /// say.
    void add(const QString& label, QWidget* field, const char* name, const QString& more = {});
    QSpinBox* whole(const QString& label, const char* name, int low, int high, int value,
                    const QString& suffix = {}, const QString& more = {});
    QuantityField* decimal(const QString& label, const char* name, const FieldRange& range,
                           double value, const QString& suffix = {}, const QString& more = {});
    QComboBox* choice(const QString& label, const char* name, const QStringList& items);

    /// Whether a field and its label are asked for; `layOut` closes the gaps.
    void ask(QWidget* field, bool on);
    void layOut();

  Q_SIGNALS:
    /// One of the numbers or choices that stand here was changed.
    void changed();

  private:
    template <class Field>
    void echo(Field* field);
    int columns_;
    std::vector<std::pair<QWidget*, QWidget*>> fields_;  ///< labels and what they name
};

}  // namespace nk
