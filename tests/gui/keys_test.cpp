// Keys and looks of the whole window: no key means two things, every menu can be walked by its
// letters in both languages, and by night no station leaves a white sheet.
#include <QAction>
#include <QLabel>
#include <QMenu>
#include <QMenuBar>
#include <QPushButton>
#include <QShortcut>
#include <QToolButton>
#include <map>
#include <set>

#include "app/plan/plan_station.h"
#include "app/shell/station_bar.h"
#include "app/side/side_station.h"
#include "tests/gui/window.h"

namespace nk {
namespace {

class WindowKeys : public test::Window {
  protected:
    void german() {
        QSettings().setValue("language", "de");
        openWindow();
        settle();
    }
    void TearDown() override { QSettings().setValue("language", "en"); }
    /// The letter behind "&" of a menu's entry; null: none.
    static QChar letterOf(const QString& text) {
        for (qsizetype k = 0; k + 1 < text.size(); ++k)
            if (text[k] == '&') {
                if (text[k + 1] != '&') return text[k + 1].toLower();
                ++k;
            }
        return {};
    }
    std::vector<QMenu*> menus() const {
        std::vector<QMenu*> out;
        for (QMenu* m : window_->findChildren<QMenu*>())
            if (!m->actions().isEmpty()) out.push_back(m);
        return out;
    }
    /// Shares of light and dark among the pixels of a picture.
    static std::pair<double, double> lightAndDark(QWidget& w) {
        const QImage picture = w.grab().toImage().convertToFormat(QImage::Format_RGB32);
        std::size_t light = 0, dark = 0, all = 0;
        for (int y = 0; y < picture.height(); y += 2)
            for (int x = 0; x < picture.width(); x += 2) {
                const int grey = qGray(picture.pixel(x, y));
                light += grey > 205, dark += grey < 70, ++all;
            }
        return {static_cast<double>(light) / static_cast<double>(all),
                static_cast<double>(dark) / static_cast<double>(all)};
    }
};

TEST_F(WindowKeys, NoKeyMeansTwoThings) {
    importCycle();
    std::map<QString, QStringList> meanings;
    for (const QAction* a : window_->findChildren<QAction*>())
        for (const QKeySequence& keys : a->shortcuts())
            if (!keys.isEmpty() && a->shortcutContext() != Qt::WidgetShortcut &&
                a->shortcutContext() != Qt::WidgetWithChildrenShortcut)
                meanings[keys.toString()] << a->text();
    for (const QShortcut* s : window_->findChildren<QShortcut*>())
        if (s->context() != Qt::WidgetShortcut && s->context() != Qt::WidgetWithChildrenShortcut)
            meanings[s->key().toString()] << s->objectName() + "*";
    EXPECT_GE(meanings.size(), 12U);
    for (const auto& [keys, what] : meanings)
        EXPECT_EQ(what.size(), 1) << keys.toStdString() << ": " << what.join(" | ").toStdString();
}

TEST_F(WindowKeys, EachMenuHasEachLetterOnce) {
    for (const bool inGerman : {false, true}) {
        if (inGerman) german();
        for (QMenu* menu : menus()) {
            std::map<QChar, QString> seen;
            for (const QAction* a : menu->actions()) {
                const QChar letter = letterOf(a->text());
                if (letter.isNull()) continue;
                const auto [at, fresh] = seen.emplace(letter, a->text());
                EXPECT_TRUE(fresh)
                    << menu->title().toStdString() << ": " << at->second.toStdString() << " and "
                    << a->text().toStdString();
            }
        }
        if (window_->menuBar() != nullptr) {
            std::set<QChar> tops;
            for (const QAction* a : window_->menuBar()->actions()) {
                const QChar letter = letterOf(a->text());
                if (letter.isNull()) continue;
                EXPECT_TRUE(tops.insert(letter).second) << a->text().toStdString();
            }
        }
    }
}

TEST_F(WindowKeys, EveryEntryOfAMenuSaysWhatItDoesInBothLanguages) {
    std::set<QString> english;
    for (QMenu* menu : menus())
        for (const QAction* a : menu->actions())
            if (!a->isSeparator()) {
                EXPECT_FALSE(a->text().trimmed().isEmpty()) << menu->title().toStdString();
                english.insert(a->text());
            }
    ASSERT_GE(english.size(), 15U);
    german();
    std::size_t same = 0;
    std::size_t all = 0;
    for (QMenu* menu : menus())
        for (const QAction* a : menu->actions())
            if (!a->isSeparator()) same += english.contains(a->text()), ++all;
    // A few words are the same in both.
    EXPECT_LT(same, 1 + all / 8);
}

TEST_F(WindowKeys, StationsAreReachedByTheirNumbers) {
    importCycle();
    window_->activateWindow();
    ASSERT_TRUE(QTest::qWaitForWindowActive(window_.get()));
    const int stations = static_cast<int>(window_->stations().size());
    ASSERT_EQ(stations, 7);
    for (int k = 0; k < stations; ++k) {
        QTest::keyClick(window_.get(), static_cast<Qt::Key>(Qt::Key_1 + k), Qt::AltModifier);
        settle();
        EXPECT_EQ(window_->station(), window_->stations()[static_cast<std::size_t>(k)]) << k + 1;
        EXPECT_TRUE(window_->station()->isVisible()) << k + 1;
    }
}

TEST_F(WindowKeys, NoStationIsForgottenByNightOrByDay) {
    window_->loadDemo();
    ASSERT_TRUE(QTest::qWaitFor([&] { return !window_->busy(); }, 60000));
    const auto list = window_->book().recordings();
    ASSERT_TRUE(list && !list->empty());
    window_->chooseRecording(list->front().id);
    settle();
    for (const ThemeChoice look : {ThemeChoice::NightBench, ThemeChoice::Paper}) {
        window_->setTheme(look);
        const bool night = look == ThemeChoice::NightBench;
        const auto expectLook = [&](const std::string& what) {
            settle();
            const auto [light, dark] = lightAndDark(*window_);
            // Words and curves are what stands out; grounds are not.
            EXPECT_LT(night ? light : dark, 0.10) << what << (night ? " by night" : " by day");
            EXPECT_GT(night ? dark : light, 0.5) << what << (night ? " by night" : " by day");
        };
        for (int k = 0; k < static_cast<int>(window_->stations().size()); ++k) {
            window_->setStation(k);
            expectLook("station " + std::to_string(k + 1));
        }
        window_->setStation(5);
        for (int asked = 0; asked < 7; ++asked) {
            window_->findChild<PlanStation*>()->setAsked(static_cast<PlanStation::Asked>(asked));
            expectLook("plan " + std::to_string(asked));
        }
        window_->findChild<PlanStation*>()->setAsked(PlanStation::Asked::Charge);
        window_->setStation(3);
        window_->findChild<SideStation*>()->openBench();
        expectLook("matching bench");
        window_->showBattery(list->front().batteryId);
        expectLook("battery page");
        window_->setStation(0);
    }
}

}  // namespace
}  // namespace nk
