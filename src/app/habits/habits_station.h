// Station 5, Habits: how do I make it last? The battery's own fade at the top, below it habits as
// columns that can be changed, and what changes most.
#pragma once

#include <map>

#include "app/habits/habits_presenter.h"
#include "app/job/job.h"
#include "app/session/session.h"
#include "app/shell/station.h"

class QComboBox;
class QHBoxLayout;
class QLabel;
class QPushButton;
class QScrollArea;
class QTimer;
class QVBoxLayout;

namespace nk {

class EndChooser;
class FadePlot;
class HabitColumn;

class HabitsStation : public Station {
    Q_OBJECT
  public:
    explicit HabitsStation(Session& session, QWidget* parent = nullptr);

    QString name() const override { return tr("Habits"); }
    QString ask() const override { return tr("how do I make it last?"); }
    Scope scope() const override { return Scope::Book; }
    bool hasFindings() const override { return false; }
    Question question() const override { return Question::Finish; }
    void show(ShownPtr shown) override;
    bool showsEvidence() const override { return false; }
    void showEvidence(const Evidence&, const QString&) override {}
    void applyColours() override;
    QString helpPage() const override { return "habits"; }
    QWidget* firstFocus() override;
    bool busy() const override { return job_.running() || keepLater(); }
    void keepNow() override;
    Expected<void> writePicture(const QString& path) override;
    std::vector<StationAction> menuActions() override;

    void showBattery(std::int64_t id);
    std::int64_t battery() const { return battery_; }
    const std::vector<HabitColumn*>& columns() const { return columns_; }
    const std::vector<HabitChange>& changes() const { return changes_; }
    const HabitsFound& found() const { return found_; }
    void addHabit(const Habit& habit);
    void openHabit();
    void saveHabit();

  private:
    bool keepLater() const;
    void takeOf(std::int64_t id, HabitsFound found);
    void take(HabitsFound found);
    void fillColumns(const std::vector<Habit>& habits);
    void answerAll();
    void rank();
    void keep();
    void choose(HabitColumn* column);
    HabitBattery setting() const;
    const Chemistry& chemistry() const;

    Session& session_;
    Job job_{this};
    std::int64_t battery_ = 0;
    HabitsFound found_;
    std::vector<HabitColumn*> columns_;
    HabitColumn* chosen_ = nullptr;
    std::vector<HabitChange> changes_;
    QTimer* keeper_ = nullptr;
    QTimer* ranker_ = nullptr;
    std::map<std::int64_t, std::vector<Habit>> unwritten_;  ///< on their way into the book
    QLabel* title_ = nullptr;
    FadePlot* plot_ = nullptr;
    QLabel* fade_ = nullptr;
    QPushButton* how_ = nullptr;
    QLabel* why_ = nullptr;
    QLabel* record_ = nullptr;
    QLabel* betweenLabel_ = nullptr;
    QComboBox* between_ = nullptr;
    EndChooser* end_ = nullptr;
    QHBoxLayout* row_ = nullptr;
    QVBoxLayout* list_ = nullptr;
    QLabel* listTitle_ = nullptr;
    QLabel* away_ = nullptr;
    QPushButton* own_ = nullptr;
    QPushButton* add_ = nullptr;
    QScrollArea* scroll_ = nullptr;
};

}  // namespace nk
