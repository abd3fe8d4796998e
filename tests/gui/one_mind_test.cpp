// One mind in the real window: nothing changes behind one's back, one battery is spoken of, what is
// known of it is quoted the same everywhere.
#include <QAbstractSpinBox>
#include <QInputDialog>
#include <QLabel>
#include <QLineEdit>
#include <QScrollArea>
#include <QTreeWidget>
#include <QWheelEvent>

#include "app/battery/battery_page.h"
#include "app/plan/plan_station.h"
#include "app/shell/action_finder.h"
#include "tests/gui/window.h"

namespace nk::test {
namespace {

class OneMind : public Window {
  protected:
    static void wheel(QWidget* over, int steps) {
        const QPointF middle(over->width() / 2.0, over->height() / 2.0);
        QWheelEvent turn(middle, over->mapToGlobal(middle), {}, QPoint(0, 120 * steps),
                         Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase, false);
        QApplication::sendEvent(over, &turn);
    }
};

TEST_F(OneMind, AFieldListensToTheWheelOnlyWithTheFocus) {
    importCycle();
    int tried = 0;
    for (int station = 0; station < 7; ++station) {
        window_->setStation(station);
        settle();
        for (auto* field : window_->findChildren<QAbstractSpinBox*>()) {
            if (!field->isVisible() || !field->isEnabled()) continue;
            window_->setFocus();
            const QString before = field->text();
            wheel(field, 1);
            wheel(field, -3);
            EXPECT_EQ(field->text(), before) << station << " " << field->objectName().toStdString();
            ++tried;
        }
        for (auto* field : window_->findChildren<QComboBox*>()) {
            if (!field->isVisible() || !field->isEnabled()) continue;
            window_->setFocus();
            const int before = field->currentIndex();
            wheel(field, -1);
            EXPECT_EQ(field->currentIndex(), before)
                << station << " " << field->objectName().toStdString();
            ++tried;
        }
    }
    EXPECT_GT(tried, 12);
    // With the focus it is the user's own hand.
    window_->setStation(5);
    settle();
    auto* warmth = window_->findChild<PlanStation*>()->findChild<QAbstractSpinBox*>("planSeries");
    ASSERT_NE(warmth, nullptr);
    window_->activateWindow();
    ASSERT_TRUE(QTest::qWaitForWindowActive(window_.get()));
    warmth->setFocus();
    ASSERT_TRUE(warmth->hasFocus());
    const QString before = warmth->text();
    wheel(warmth, 1);
    EXPECT_NE(warmth->text(), before);
}

TEST_F(OneMind, TheFinderRunsNoChangeOnHalfAMatch) {
    importCycle();
    const std::string undo = *window_->session().book().undoLabel();
    ASSERT_FALSE(undo.empty());
    for (const char* typed : {"add", "night", "Dew heater", "rules"}) {
        press(Qt::Key_K);
        settle();
        auto* finder = window_->findChild<ActionFinder*>();
        ASSERT_NE(finder, nullptr);
        auto* text = finder->findChild<QLineEdit*>("finderText");
        QTest::keyClicks(text, typed);
        auto* list = finder->findChild<QTreeWidget*>("finderList");
        for (int k = 0; k < list->topLevelItemCount(); ++k)
            EXPECT_FALSE(list->topLevelItem(k)->text(0).startsWith("Undo")) << typed;
        QTest::keyClick(text, Qt::Key_Return);
        settle();
        if (auto* left = window_->findChild<ActionFinder*>(); left != nullptr && left->isVisible())
            left->reject();
        for (auto* dialog : window_->findChildren<QDialog*>())
            if (dialog->isVisible()) dialog->reject();
        settle();
        EXPECT_EQ(*window_->session().book().undoLabel(), undo) << typed;
    }
}

TEST_F(OneMind, ThePlanSpeaksOfTheBatteryThatIsOpen) {
    importCycle();
    window_->setStation(5);
    settle();
    auto* plan = window_->findChild<PlanStation*>();
    EXPECT_TRUE(plan->card().title.contains("Dew heater 2")) << plan->card().title.toStdString();
    EXPECT_EQ(plan->findChild<QSpinBox*>("planSeries")->value(), 3);
    importLog(writeLog("other.csv",
                       "Time (s),Voltage (V),Current (A)\n0,7.2,0\n60,7.2,0\n"
                       "120,7.3,1\n600,7.6,1\n1200,7.9,1\n1260,7.8,0\n"),
              "Camp box", "lipo", 2, "1500 mAh");
    window_->setStation(5);
    settle();
    EXPECT_TRUE(plan->card().title.contains("Camp box")) << plan->card().title.toStdString();
    EXPECT_EQ(plan->findChild<QSpinBox*>("planSeries")->value(), 2);
}

TEST_F(OneMind, ADayIsSaidWhereItIsShownAndOneUndoTakesItBack) {
    importCycle();
    const std::int64_t id = window_->session().recordings().back().id;
    EXPECT_FALSE(window_->session().recordings().back().dayKnown()) << "its rows have no date";
    window_->session().change(
        [id](BenchBook& b) { return b.setDay(id, "2026-05-01", "hand", true); });
    settle();
    EXPECT_TRUE(window_->session().recordings().back().dayKnown());
    settle();
    const KeptStanding* standing =
        window_->session().standingOf(window_->session().recordings().back().batteryId);
    ASSERT_NE(standing, nullptr);
    EXPECT_TRUE(std::isfinite(standing->capacity_Ah));
    window_->session().undo();
    settle();
    EXPECT_FALSE(window_->session().recordings().back().dayKnown());
}

}  // namespace
}  // namespace nk::test
