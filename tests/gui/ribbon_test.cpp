// The ribbon of steps under real mouse and key events.
#include "app/plot/ribbon.h"

#include <gtest/gtest.h>

#include <QAction>
#include <QMenu>
#include <QPushButton>
#include <QSignalSpy>
#include <QTest>

#include "app/findings/finding_card.h"
#include "app/findings/findings_panel.h"
#include "app/theme/theme.h"

namespace nk {
namespace {

/// Rest to 100 s, charge to 400 s, rest to 600 s; a pixel a second from pixel 50 on.
class RibbonOfThree : public testing::Test {
  protected:
    void SetUp() override {
        Steps steps;
        const auto add = [&](StepKind kind, double from, double to, double current) {
            Step s;
            s.kind = kind, s.start_s = from, s.end_s = to, s.meanCurrent_A = current;
            steps.list.push_back(s);
        };
        add(StepKind::Rest, 0, 100, 0);
        add(StepKind::CcCharge, 100, 400, 1);
        add(StepKind::Rest, 400, 600, 0);
        ribbon.resize(700, 30);
        ribbon.setSteps(steps);
        ribbon.setView(0, 600, 50, 650);
        ribbon.show();
        ASSERT_TRUE(QTest::qWaitForWindowExposed(&ribbon));
        ribbon.setFocus();
    }
    QPoint at(double time_s) const { return {50 + static_cast<int>(time_s), 15}; }
    void drag(double from_s, double to_s) {
        QTest::mousePress(&ribbon, Qt::LeftButton, {}, at(from_s));
        QTest::mouseMove(&ribbon, at(0.5 * (from_s + to_s)));
        QTest::mouseMove(&ribbon, at(to_s));
        QTest::mouseRelease(&ribbon, Qt::LeftButton, {}, at(to_s));
    }
    QMenu* menu() const {
        QMenu* found = nullptr;
        EXPECT_TRUE(QTest::qWaitFor([&] {
            found = ribbon.findChild<QMenu*>("stepMenu");
            return found != nullptr && found->isVisible();
        }));
        return found;
    }
    Ribbon ribbon;
};

TEST_F(RibbonOfThree, ClickSelectsDoubleClickZooms) {
    QSignalSpy selected(&ribbon, &Ribbon::stepSelected);
    QSignalSpy activated(&ribbon, &Ribbon::stepActivated);
    QTest::mouseClick(&ribbon, Qt::LeftButton, {}, at(250));
    ASSERT_EQ(selected.size(), 1);
    EXPECT_EQ(selected[0][0].toInt(), 1);
    EXPECT_EQ(ribbon.selected(), 1);
    QTest::mouseDClick(&ribbon, Qt::LeftButton, {}, at(500));
    ASSERT_EQ(activated.size(), 1);
    EXPECT_EQ(activated[0][0].toInt(), 2);
    QTest::mouseClick(&ribbon, Qt::LeftButton, {}, QPoint(20, 15));
    EXPECT_EQ(activated.size(), 1) << "left of the first step there is nothing";
}

TEST_F(RibbonOfThree, AnEdgeIsDraggedButNotPastItsNeighbours) {
    QSignalSpy moved(&ribbon, &Ribbon::edgeMoved);
    drag(100, 160);
    ASSERT_EQ(moved.size(), 1);
    EXPECT_EQ(moved[0][0].toInt(), 1);
    EXPECT_NEAR(moved[0][1].toDouble(), 160, 1.5);
    drag(100, 550);
    ASSERT_EQ(moved.size(), 2);
    EXPECT_LE(moved[1][1].toDouble(), 400) << "no further than the end of the charge";
    drag(400, 401);
    EXPECT_EQ(moved.size(), 2) << "a tremble of the hand moves nothing";
    drag(250, 300);
    EXPECT_EQ(moved.size(), 2) << "there is no edge";
}

TEST_F(RibbonOfThree, EverythingWorksByKeyboard) {
    QSignalSpy split(&ribbon, &Ribbon::splitRequested);
    QSignalSpy join(&ribbon, &Ribbon::joinRequested);
    QSignalSpy moved(&ribbon, &Ribbon::edgeMoved);
    QSignalSpy activated(&ribbon, &Ribbon::stepActivated);
    QTest::keyClick(&ribbon, Qt::Key_S);
    EXPECT_EQ(split.size(), 0) << "nothing is selected yet";
    QTest::keyClick(&ribbon, Qt::Key_Right);
    QTest::keyClick(&ribbon, Qt::Key_Right);
    EXPECT_EQ(ribbon.selected(), 1);
    QTest::keyClick(&ribbon, Qt::Key_S);
    ASSERT_EQ(split.size(), 1);
    EXPECT_NEAR(split[0][1].toDouble(), 250, 1e-9);
    QTest::keyClick(&ribbon, Qt::Key_J);
    EXPECT_EQ(join.size(), 1);
    QTest::keyClick(&ribbon, Qt::Key_Period);
    QTest::keyClick(&ribbon, Qt::Key_Comma);
    ASSERT_EQ(moved.size(), 2);
    EXPECT_NEAR(moved[0][1].toDouble(), 106, 1e-9);
    EXPECT_NEAR(moved[1][1].toDouble(), 94, 1e-9);
    QTest::keyClick(&ribbon, Qt::Key_Return);
    EXPECT_EQ(activated.size(), 1);
    for (int k = 0; k < 5; ++k) QTest::keyClick(&ribbon, Qt::Key_Right);
    EXPECT_EQ(ribbon.selected(), 2) << "the last step is the end";
    QTest::keyClick(&ribbon, Qt::Key_J);
    EXPECT_EQ(join.size(), 1) << "the last step has no next";
    for (int k = 0; k < 5; ++k) QTest::keyClick(&ribbon, Qt::Key_Left);
    EXPECT_EQ(ribbon.selected(), 0);
}

TEST_F(RibbonOfThree, TheMenuCutsJoinsAndNames) {
    QSignalSpy split(&ribbon, &Ribbon::splitRequested);
    QSignalSpy rename(&ribbon, &Ribbon::renameRequested);
    QContextMenuEvent asked(QContextMenuEvent::Mouse, at(300), ribbon.mapToGlobal(at(300)));
    QApplication::sendEvent(&ribbon, &asked);
    QMenu* shown = menu();
    ASSERT_NE(shown, nullptr);
    QMenu* names = nullptr;
    for (QAction* action : shown->actions())
        if (action->menu() != nullptr) names = action->menu();
    ASSERT_NE(names, nullptr);
    for (QAction* action : names->actions())
        if (action->text() == "rest") action->trigger();
    ASSERT_EQ(rename.size(), 1);
    EXPECT_EQ(rename[0][0].toInt(), 1);
    EXPECT_EQ(rename[0][1].value<StepKind>(), StepKind::Rest);
    shown->actions().front()->trigger();
    ASSERT_EQ(split.size(), 1);
    EXPECT_NEAR(split[0][1].toDouble(), 300, 1.5);
    shown->close();
    QContextMenuEvent last(QContextMenuEvent::Mouse, at(500), ribbon.mapToGlobal(at(500)));
    QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
    QApplication::sendEvent(&ribbon, &last);
    shown = menu();
    ASSERT_NE(shown, nullptr);
    EXPECT_FALSE(shown->actions()[1]->isEnabled()) << "the last step has no next to join";
    shown->close();
}

TEST(FindingsPanelOfMany, MakesWidgetsAsTheyAreAskedFor) {
    FindingsPanel panel;
    panel.resize(322, 700);
    panel.show();
    std::vector<Card> cards(60);
    for (std::size_t k = 0; k < cards.size(); ++k) {
        cards[k].kind = "NOTE", cards[k].title = "Finding " + std::to_string(k);
        cards[k].code = "c" + std::to_string(k);
        cards[k].evidence = {1, 2, 0};
    }
    panel.setCards(cards);
    const auto made = [&] { return panel.findChildren<FindingCard*>().size(); };
    auto* more = panel.findChild<QPushButton*>("moreFindings");
    ASSERT_NE(more, nullptr);
    EXPECT_EQ(panel.cards().size(), 60u) << "none is lost";
    EXPECT_LT(made(), 60);
    ASSERT_TRUE(more->isVisible());
    EXPECT_TRUE(more->text().contains("36"));
    QTest::mouseClick(more, Qt::LeftButton);
    EXPECT_EQ(made(), 48);
    panel.selectCard(59);
    EXPECT_EQ(made(), 60) << "a chosen finding is there whatever its rank";
    EXPECT_FALSE(more->isVisible());
    panel.setCards({cards.front()});
    EXPECT_FALSE(more->isVisible());
}

}  // namespace
}  // namespace nk
