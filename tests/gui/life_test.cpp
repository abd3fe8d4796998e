// What is done with batteries beyond cards and logs, in the real window: a look at the skin, the
// drawer, the due list, rules, many taken in by the keyboard, labels measured on the paper.
#include <QCheckBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QListWidget>
#include <QMenu>
#include <QPlainTextEdit>
#include <QProcess>
#include <QTableView>

#include "app/battery/battery_page.h"
#include "app/battery/history_table.h"
#include "app/life/label_sheet.h"
#include "app/shelf/battery_block.h"
#include "app/shelf/shelf.h"
#include "history/due.h"
#include "history/rules.h"
#include "history/skin_check.h"
#include "tests/gui/window.h"
#include "tests/support/book_state.h"

namespace nk::test {
namespace {

class LifeWindow : public Window {
  protected:
    std::int64_t battery(const std::string& name, double lastSeen_s = kNaN) {
        Battery b;
        b.name = name;
        b.chemistry = "nmc";
        b.series = 3;
        b.rated_Ah = 5;
        const std::int64_t id = *window_->book().addBattery(b);
        if (std::isfinite(lastSeen_s)) {
            SpotReading s;
            s.batteryId = id;
            s.kind = "voltage";
            s.value = 11.4;
            s.resolution = 0.1;
            s.atEpoch_s = lastSeen_s;
            EXPECT_TRUE(window_->book().addSpotReading(s));
        }
        window_->session().reread();
        return id;
    }
    QDialog* dialog(const QString& name) const {
        QDialog* found = nullptr;
        EXPECT_TRUE(QTest::qWaitFor(
            [&] {
                found = nullptr;
                for (QDialog* d : window_->findChildren<QDialog*>(name))
                    if (d->isVisible()) found = d;
                return found != nullptr;
            },
            10000))
            << name.toStdString();
        return found;
    }
    void trigger(const QString& action) const {
        for (QAction* a : window_->actions())
            if (a->text() == action) return a->trigger();
        FAIL() << action.toStdString();
    }
    /// Something of a battery's own menu, as More… on its page opens it.
    void fromMenu(std::int64_t id, const QString& words) const {
        window_->parts().shelf.batteryMenu(id, QPoint(200, 200));
        for (QMenu* menu : window_->findChildren<QMenu*>())
            for (QAction* a : menu->actions())
                if (a->text() == words && menu->isVisible()) {
                    a->trigger();
                    menu->close();
                    return;
                }
        FAIL() << words.toStdString();
    }
    void click(QDialog* d, const QString& button) const {
        auto* found = d->findChild<QPushButton*>(button);
        ASSERT_NE(found, nullptr) << button.toStdString();
        QTest::mouseClick(found, Qt::LeftButton);
        settle();
    }
    QString page(const QString& label) const {
        return window_->findChild<BatteryPage*>()->findChild<QLabel*>(label)->text();
    }
    static double now() { return static_cast<double>(QDateTime::currentSecsSinceEpoch()); }
};

TEST_F(LifeWindow, AHazardIsSeenEverywhereAndTakenBackOnlyKnowingly) {
    const auto id = battery("Lamp pack");
    window_->showBattery(id);
    settle();
    fromMenu(id, "A look at its skin…");
    QDialog* skin = dialog("skin");
    ASSERT_NE(skin, nullptr);
    EXPECT_EQ(skin->findChild<QPushButton*>("skinKeep")->text(), "Keep");
    auto* swollen = skin->findChild<QCheckBox*>("sign-swollen");
    QTest::mouseClick(swollen, Qt::LeftButton, {}, QPoint(8, swollen->height() / 2));
    EXPECT_TRUE(skin->findChild<QLabel*>("skinWords")->text().startsWith("HAZARD"));
    QTest::keyClicks(skin->findChild<QLineEdit*>("skinNote"), "at one end");
    click(skin, "skinKeep");
    EXPECT_EQ(window_->book().lives()->at(id).outOfUse, "swollen");
    EXPECT_NE(window_->findChild<QLabel*>(QString("out-of-use-%1").arg(id)), nullptr);
    EXPECT_TRUE(page("pageOutOfUse").contains("swollen"));
    EXPECT_EQ(page("pageVerdict"), "Retire it");
    dialogs_.yes = false;
    fromMenu(id, "Take it back into use");
    settle();
    EXPECT_EQ(window_->book().lives()->at(id).outOfUse, "swollen");
    dialogs_.yes = true;
    fromMenu(id, "Take it back into use");
    settle();
    EXPECT_EQ(window_->book().lives()->at(id).outOfUse, "");
    EXPECT_EQ(page("pageVerdict"), "Not enough known");
}

TEST_F(LifeWindow, WhatIsKnownIsTypedSearchedAndShown) {
    const auto pack = battery("Dome pack");
    const auto id = battery("Module");
    window_->showBattery(id);
    settle();
    fromMenu(id, "What else is known…");
    QDialog* life = dialog("life");
    ASSERT_NE(life, nullptr);
    QTest::keyClicks(life->findChild<QLineEdit*>("lifeSerial"), "A-017");
    QTest::keyClicks(life->findChild<QLineEdit*>("lifeTags"), "field, cold nights, field");
    QTest::keyClicks(life->findChild<QLineEdit*>("lifeWorth"), "many km");
    EXPECT_FALSE(life->findChild<QPushButton*>("lifeKeep")->isEnabled());
    life->findChild<QLineEdit*>("lifeWorth")->clear();
    QTest::keyClicks(life->findChild<QLineEdit*>("lifeWorth"), "42,5 km");
    QTest::keyClicks(life->findChild<QLineEdit*>("lifeBought"), "2026-04-31");
    EXPECT_TRUE(life->findChild<QLabel*>("lifeProblem")->text().contains("no day"));
    life->findChild<QLineEdit*>("lifeBought")->setText("2026-04-30");
    auto* whole = life->findChild<QComboBox*>("lifeWhole");
    whole->setCurrentIndex(whole->findData(qlonglong(pack)));
    life->findChild<QSpinBox*>("lifePosition")->setValue(2);
    click(life, "lifeKeep");
    const BatteryLife kept = window_->book().lives()->at(id);
    EXPECT_EQ(kept.serial, "A-017");
    EXPECT_EQ(kept.tags, (std::vector<std::string>{"field", "cold nights"}));
    EXPECT_EQ(kept.worth, 42.5);
    EXPECT_EQ(kept.worthUnit, "km");
    EXPECT_EQ(kept.partOf, pack);
    EXPECT_TRUE(page("pageAbout").startsWith("Position 2 in Dome pack · serial number A-017"))
        << page("pageAbout").toStdString();
    EXPECT_TRUE(page("pageAbout").contains("42.5"));
    // The whole tells of its parts.
    window_->showBattery(pack);
    settle();
    bool told = false;
    for (QLabel* l : window_->findChild<BatteryPage*>()->findChildren<QLabel*>("reason"))
        told = told || l->text() == "Part: Module";
    EXPECT_TRUE(told);
    // The shelf finds it by its serial number and by its tag.
    for (const char* word : {"a-017", "COLD"}) {
        part<QLineEdit>("search")->setText(word);
        EXPECT_NE(window_->findChild<QPushButton*>(QString("battery-%1").arg(id)), nullptr) << word;
        EXPECT_EQ(window_->findChild<QPushButton*>(QString("battery-%1").arg(pack)), nullptr)
            << word;
    }
}

TEST_F(LifeWindow, TheDrawerHoldsWhatIsRetired) {
    const auto kept = battery("Kept");
    const auto old = battery("Old one");
    fromMenu(old, "Put it into the drawer");
    settle();
    const auto block = [&](std::int64_t id) {
        return window_->findChild<QPushButton*>(QString("battery-%1").arg(id));
    };
    EXPECT_NE(block(kept), nullptr);
    EXPECT_EQ(block(old), nullptr);
    auto* drawer = part<QPushButton>("drawer");
    EXPECT_EQ(drawer->text(), "Drawer: 1 retired");
    QTest::mouseClick(drawer, Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return block(old) != nullptr; }, 5000));
    press(Qt::Key_Z);
    settle();
    EXPECT_FALSE(window_->book().lives()->contains(old));
    EXPECT_EQ(window_->findChild<QPushButton*>("drawer"), nullptr);
    EXPECT_NE(block(old), nullptr);
}

TEST_F(LifeWindow, WhatIsDueIsListedTickedOffAndSavedAsACalendar) {
    const auto id = battery("Mount pack", now() - 200 * 86400.0);
    press(Qt::Key_D);
    QDialog* due = dialog("due");
    ASSERT_NE(due, nullptr);
    EXPECT_NE(due->findChild<QPushButton*>("done-1"), nullptr);
    dialogs_.save = path("bench.ics");
    click(due, "dueCalendar");
    QFile calendar(path("bench.ics"));
    ASSERT_TRUE(calendar.open(QIODevice::ReadOnly));
    EXPECT_TRUE(calendar.readAll().contains("SUMMARY:Mount pack"));
    click(due, "done-0");
    EXPECT_EQ(window_->book().tasksDone()->size(), 1U);
    EXPECT_FALSE(due->findChild<QPushButton*>("done-0")->isEnabled());
    due->accept();
    window_->showBattery(id);
    settle();
    EXPECT_EQ(window_->findChild<BatteryPage*>()->view().due.size(), 1U);
    window_->undo();
    settle();
    EXPECT_TRUE(window_->book().tasksDone()->empty());
    // A new day begins with one line.
    QSettings().remove("due/greeted");
    openWindow();
    ASSERT_TRUE(QTest::qWaitFor(
        [&] {
            return std::ranges::any_of(window_->findChildren<QLabel*>(), [](const QLabel* l) {
                return l->isVisible() && l->text().contains("things are due; first Mount pack");
            });
        },
        10000));
    EXPECT_FALSE(QSettings().value("due/greeted").toString().isEmpty());
}

TEST_F(LifeWindow, RulesOfTheBookAreChangedAndTakenBack) {
    trigger("Rules of verdict and due list…");
    QDialog* rules = dialog("rules");
    ASSERT_NE(rules, nullptr);
    auto* weak = rules->findChild<QDoubleSpinBox*>("rule-weak");
    EXPECT_EQ(weak->value(), 60);
    weak->setValue(70);
    rules->findChild<QDoubleSpinBox*>("rule-retest_days")->setValue(100);
    click(rules, "rulesKeep");
    EXPECT_EQ(verdictRules(window_->book())->weak, 0.7);
    EXPECT_EQ(dueRules(window_->book())->retest_days, 100);
    window_->undo();
    settle();
    EXPECT_EQ(verdictRules(window_->book())->weak, 0.6) << "one act";
    EXPECT_EQ(dueRules(window_->book())->retest_days, DueRules{}.retest_days);
}

TEST_F(LifeWindow, SixtyCellsAreTakenInByTheKeyboardAlone) {
    battery("Cell 2");  // a name that is taken
    trigger("Take in many…");
    QDialog* intake = dialog("intake");
    ASSERT_NE(intake, nullptr);
    auto* kind = intake->findChild<QComboBox*>("intakeChemistry");
    kind->setCurrentIndex(kind->findData("nimh"));
    QTest::keyClicks(intake->findChild<QLineEdit*>("intakeRated"), "2100 mAh");
    auto* line = intake->findChild<QLineEdit*>("intakeLine");
    line->setFocus();
    for (int k = 1; k <= 60; ++k) {
        QTest::keyClicks(line, QString("S%1").arg(k) + (k == 7 ? "; 7.2 V 1900 mAh NiCd" : ""));
        QTest::keyClick(line, Qt::Key_Return);
    }
    QTest::keyClicks(line, "S3");
    QTest::keyClick(line, Qt::Key_Return);
    EXPECT_TRUE(intake->findChild<QLabel*>("intakeWords")->text().contains("already"));
    EXPECT_EQ(intake->findChild<QListWidget*>("intakeList")->count(), 60);
    click(intake, "intakeKeep");
    const auto all = *window_->book().batteries();
    ASSERT_EQ(all.size(), 61U);
    EXPECT_EQ(all[1].battery.name, "Cell 1");
    EXPECT_EQ(all[2].battery.name, "Cell 3");
    EXPECT_EQ(all[1].battery.rated_Ah, 2.1);
    EXPECT_EQ(all[1].battery.chemistry, "nimh");
    EXPECT_EQ(all[7].battery.chemistry, "nicd");
    EXPECT_EQ(all[7].battery.rated_Ah, 1.9);
    EXPECT_EQ(window_->book().lives()->at(all[7].id).serial, "S7");
    window_->undo();
    settle();
    EXPECT_EQ(window_->book().batteries()->size(), 1U) << "one act";
}

TEST_F(LifeWindow, AReadingByHandIsChangedAndTakenAwayInItsRow) {
    const auto id = battery("Pack", now() - 86400);
    window_->showBattery(id);
    settle();
    auto* table = part<QTableView>("history");
    ASSERT_EQ(table->model()->rowCount(), 1);
    table->setCurrentIndex(table->model()->index(0, 0));
    QTest::keyClick(table, Qt::Key_Return);
    QDialog* pad = dialog("pad");
    ASSERT_NE(pad, nullptr);
    auto* line = pad->findChild<QLineEdit*>("padLine");
    EXPECT_EQ(line->text(), "11.4 V");
    line->setText("11.52 V");
    click(pad, "padKeep");
    ASSERT_EQ(window_->book().spotReadings(id)->size(), 1U);
    EXPECT_EQ(window_->book().spotReadings(id)->front().value, 11.52);
    EXPECT_NEAR(window_->book().spotReadings(id)->front().resolution, 0.01, 1e-9);
    table->setCurrentIndex(table->model()->index(0, 0));
    QTest::keyClick(table, Qt::Key_Return);
    pad = dialog("pad");
    ASSERT_NE(pad, nullptr);
    click(pad, "padAway");
    EXPECT_TRUE(window_->book().spotReadings(id)->empty());
    window_->undo();
    settle();
    EXPECT_EQ(window_->book().spotReadings(id)->size(), 1U);
}

/// Where words stand on a page of a PDF, mm from its upper left corner, by a program that is not
/// ours (pdftotext of poppler).
QMap<QString, QPointF> wordsOf(const QString& pdf, int page) {
    QProcess reader;
    reader.start("pdftotext",
                 {"-bbox", "-f", QString::number(page), "-l", QString::number(page), pdf, "-"});
    EXPECT_TRUE(reader.waitForFinished(20000)) << reader.errorString().toStdString();
    QMap<QString, QPointF> out;
    static const QRegularExpression word(
        R"re(<word xMin="([\d.]+)" yMin="([\d.]+)"[^>]*>([^<]+)</word>)re");
    auto it = word.globalMatch(QString::fromUtf8(reader.readAllStandardOutput()));
    while (it.hasNext()) {
        const auto m = it.next();
        out[m.captured(3)] =
            QPointF(m.captured(1).toDouble(), m.captured(2).toDouble()) * 25.4 / 72;
    }
    return out;
}

TEST_F(LifeWindow, LabelsLieInTheirPlacesToHalfAMillimetre) {
    const LabelSheet sheets[] = {
        LabelSheet::large(), LabelSheet::small(), {2, 5, 90, 50, 10, 15, 5, 2}};
    for (const LabelSheet& sheet : sheets) {
        ASSERT_TRUE(sheet.check());
        std::vector<LabelText> labels;
        const int count = sheet.perPage() + 2;
        for (int k = 0; k < count; ++k)
            labels.push_back(
                {QString("N%1").arg(k), "2.10 Ah at 0.2C", "28 mΩ", "Keep it", "today"});
        const QString pdf = path("labels.pdf");
        ASSERT_TRUE(writeLabels(pdf, labels, sheet, 3, true));
        const auto first = wordsOf(pdf, 1);
        const auto second = wordsOf(pdf, 2);
        const int onFirst = sheet.perPage() - 3;
        for (int k = 0; k < count; ++k) {
            const auto& here = k < onFirst ? first : second;
            const QString name = QString("N%1").arg(k);
            ASSERT_TRUE(here.contains(name)) << name.toStdString();
            const QRectF place = sheet.place_mm(k + 3);
            const double edge = std::min(3.0, 0.1 * place.height() + 1);
            EXPECT_NEAR(here[name].x(), place.left() + edge, 0.5) << name.toStdString();
            EXPECT_GT(here[name].y(), place.top()) << name.toStdString();
            EXPECT_LT(here[name].y(), place.top() + place.height() / 2) << name.toStdString();
        }
    }
    LabelSheet wide;
    wide.columns = 4;
    EXPECT_FALSE(wide.check());
    EXPECT_FALSE(writeLabels(path("none.pdf"), {}, wide, 0, false));
    EXPECT_FALSE(QFile::exists(path("none.pdf")));
}

TEST_F(LifeWindow, LabelsOfTheWholeShelfAreSavedFromTheMenu) {
    battery("First pack", now());
    battery("Second pack", now());
    dialogs_.save = path("all.pdf");
    trigger("Labels for all batteries…");
    QDialog* labels = dialog("labels");
    ASSERT_NE(labels, nullptr);
    EXPECT_TRUE(
        labels->findChild<QLabel*>("labelWords")->text().startsWith("Labels: 2. Sheets: 1."));
    auto* kind = labels->findChild<QComboBox*>("labelKind");
    kind->setCurrentIndex(2);
    labels->findChild<QSpinBox*>("labelColumns")->setValue(9);
    EXPECT_FALSE(labels->findChild<QPushButton*>("labelSave")->isEnabled());
    kind->setCurrentIndex(1);
    click(labels, "labelSave");
    const auto words = wordsOf(path("all.pdf"), 1);
    EXPECT_TRUE(words.contains("First") && words.contains("Second"));
}

TEST_F(LifeWindow, TheShelfGoesOutAsATableAndComesInAgain) {
    battery("Pack");
    dialogs_.save = path("shelf.csv");
    trigger("The shelf as a table…");
    settle();
    QFile table(path("shelf.csv"));
    ASSERT_TRUE(table.open(QIODevice::ReadOnly));
    QByteArray text = table.readAll();
    EXPECT_TRUE(text.startsWith("id,name,chemistry"));
    text.replace(",Pack,", ",Other pack,");
    QFile changed(path("changed.csv"));
    ASSERT_TRUE(changed.open(QIODevice::WriteOnly));
    changed.write(text);
    changed.close();
    dialogs_.logs = {changed.fileName()};
    trigger("Take in a table of batteries…");
    settle();
    EXPECT_EQ(window_->book().batteries()->size(), 2U);
    dialogs_.logs = {writeLog("broken.csv", "name,series\nX,many\n")};
    trigger("Take in a table of batteries…");
    settle();
    EXPECT_EQ(window_->book().batteries()->size(), 2U);
}

TEST_F(LifeWindow, AShelfOfHundredsShowsThemByAndBy) {
    ASSERT_TRUE(window_->book().change({"intake", {"300"}}, [&]() -> Expected<void> {
        for (int k = 0; k < 300; ++k) {
            Battery b;
            b.name = "Cell " + std::to_string(1000 + k);
            if (auto added = window_->book().addBattery(b); !added)
                return tl::unexpected<Error>(added.error());
        }
        return {};
    }));
    window_->session().reread();
    const auto blocks = [&] {
        return window_->findChild<Shelf*>()->findChildren<BatteryBlock*>().size();
    };
    EXPECT_EQ(blocks(), 25);
    QTest::mouseClick(part<QPushButton>("moreBatteries"), Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return blocks() == 50; }, 5000));
    EXPECT_EQ(part<QPushButton>("moreBatteries")->text(), "Show 25 of 250 more batteries");
    // What is looked for is found wherever it stands, and a log that is chosen too.
    part<QLineEdit>("search")->setText("1299");
    EXPECT_NE(window_->findChild<QPushButton*>("battery-300"), nullptr);
    part<QLineEdit>("search")->clear();
    EXPECT_EQ(window_->findChild<QPushButton*>("battery-300"), nullptr);
    NewRecording log;
    log.batteryId = 300;
    log.title = "far down";
    log.originalBytes = "x";
    log.imported = &smallLog();
    const auto id = window_->book().addRecording(log);
    ASSERT_TRUE(id);
    window_->session().reread();
    window_->chooseRecording(*id);
    settle();
    EXPECT_NE(window_->findChild<QPushButton*>("battery-300"), nullptr);
}

}  // namespace
}  // namespace nk::test
