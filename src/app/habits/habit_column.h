// One habit beside others: its week as a band, its figures to change, and the years it gives.
#pragma once

#include <QFrame>

#include "app/habits/habits_presenter.h"

class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QLineEdit;
class QPushButton;
class QSpinBox;
class QTimeEdit;

namespace nk {

class PauseList;
class WeekBand;
class YearsBar;

class HabitColumn : public QFrame {
    Q_OBJECT
  public:
    explicit HabitColumn(QWidget* parent = nullptr);
    void setHabit(const Habit& habit, const Chemistry& chemistry);
    const Habit& habit() const { return habit_; }
    /// What came of it; `most`: years at the end of the scale.
    void setAnswer(const HabitAnswer& answer, const HabitFigures& figures, double most);
    void setProblem(const QString& words);
    void setChosen(bool chosen);
    void applyColours();

  Q_SIGNALS:
    /// An edge or a figure was changed; `habit()` holds it.
    void changed();
    /// A change has come to rest: worth keeping.
    void settled();
    void chosen();
    void removed();

  protected:
    void mousePressEvent(QMouseEvent* event) override;

  private:
    void readFields();
    void writeFields();

    Habit habit_;
    const Chemistry* chemistry_ = nullptr;
    bool filling_ = false;
    QLineEdit* name_ = nullptr;
    WeekBand* band_ = nullptr;
    QDoubleSpinBox* target_ = nullptr;
    QComboBox* when_ = nullptr;
    QTimeEdit* useAt_ = nullptr;
    QDoubleSpinBox* uses_ = nullptr;
    QSpinBox* depth_ = nullptr;
    QDoubleSpinBox* rate_ = nullptr;
    QSpinBox* parked_ = nullptr;
    QSpinBox* use_ = nullptr;
    QSpinBox* charging_ = nullptr;
    PauseList* pauses_ = nullptr;
    QSpinBox* full_ = nullptr;
    QDoubleSpinBox* device_ = nullptr;
    QLabel* years_ = nullptr;
    YearsBar* bar_ = nullptr;
    QLabel* lines_ = nullptr;
    QPushButton* how_ = nullptr;
    QLabel* why_ = nullptr;
};

}  // namespace nk
