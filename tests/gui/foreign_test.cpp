// What comes from elsewhere in the window: books that cannot be opened, names that look like
// markup, work that throws.
#include <QHelpEvent>
#include <QLabel>
#include <QToolTip>

#include "app/job/job.h"
#include "app/preferences/preferences_dialog.h"
#include "app/shell/book_door.h"
#include "app/shell/choice_dialog.h"
#include "book/backups.h"
#include "tests/gui/window.h"

#include <SQLiteCpp/SQLiteCpp.h>

namespace nk {
namespace {

/// Answers the questions at the door of a book, in order.
class DoorDialogs : public test::FakeDialogs {
  public:
    int choose(QWidget*, const QString&, const QString& question, const QStringList& answers,
               const QString&) override {
        questions << question;
        if (script.isEmpty()) return -1;
        const QString wanted = script.takeFirst();
        for (int k = 0; k < answers.size(); ++k)
            if (answers[k].contains(wanted)) return k;
        ADD_FAILURE() << "no answer '" << wanted.toStdString() << "' among "
                      << answers.join(" | ").toStdString();
        return -1;
    }
    void tell(QWidget*, const QString& title, const QString&) override { told << title; }
    QStringList script, questions, told;
};

class Foreign : public test::Window {
  protected:
    QString foreignBook() const {
        const QString file = path("foreign.nkbook");
        {
            auto book = *BenchBook::open(file.toStdString());
            Battery b;
            b.name = "Spare pack", b.rated_Ah = 2;
            (void)book->addBattery(b);
        }
        SQLite::Database db(file.toStdString(), SQLite::OPEN_READWRITE);
        db.exec("CREATE TRIGGER evil AFTER INSERT ON recording BEGIN DELETE FROM battery; END");
        return file;
    }
};

TEST_F(Foreign, ABookThatIsAwayIsNotMadeAnewAndAnotherIsOffered) {
    DoorDialogs dialogs;
    EXPECT_EQ(enterBook(path("away.nkbook"), false, dialogs, 1.8e9), nullptr) << "left";
    EXPECT_FALSE(QFile::exists(path("away.nkbook")));
    ASSERT_EQ(dialogs.questions.size(), 1);
    EXPECT_TRUE(dialogs.questions[0].contains("no such bench book"));
    dialogs.script = {"another"};
    dialogs.book = path("bench.nkbook");
    EXPECT_NE(enterBook(path("away.nkbook"), false, dialogs, 1.8e9), nullptr);
    dialogs.script = {"Try again", "new book"};
    dialogs.save = path("made");
    EXPECT_NE(enterBook(path("away.nkbook"), false, dialogs, 1.8e9), nullptr);
    EXPECT_TRUE(QFile::exists(path("made.nkbook")));
}

TEST_F(Foreign, ADamagedBookOffersItsBackups) {
    importCycle();
    const QString file = path("bench.nkbook");
    ASSERT_TRUE(backupNow(*const_cast<BenchBook*>(&window_->book()), 1.8e9));
    window_.reset();
    for (const QString& ending : {QString("-wal"), QString("-shm")}) QFile::remove(file + ending);
    QFile damaged(file);
    ASSERT_TRUE(damaged.open(QIODevice::WriteOnly | QIODevice::Truncate));
    damaged.close();
    DoorDialogs dialogs;
    dialogs.script = {"Bring back the backup of"};
    const auto book = enterBook(file, false, dialogs, 1.9e9);
    ASSERT_NE(book, nullptr) << dialogs.questions.join("|").toStdString()
                             << dialogs.told.join("|").toStdString();
    EXPECT_EQ(book->recordings()->size(), 1u);
}

TEST_F(Foreign, ARefusedBookGivesItsRowsToANewOne) {
    DoorDialogs dialogs;
    dialogs.script = {"Copy its rows"};
    dialogs.save = path("rows.nkbook");
    const auto book = enterBook(foreignBook(), false, dialogs, 1.8e9);
    ASSERT_NE(book, nullptr);
    EXPECT_EQ(book->batteries()->size(), 1u);
    EXPECT_TRUE(dialogs.questions[0].contains("trigger evil"));
    EXPECT_EQ(dialogs.told.size(), 1);
    // The same from a window that is open already.
    dialogs_.yes = false;
    window_->openBook(path("foreign.nkbook"));
    EXPECT_EQ(window_->book().path().filename(), "bench.nkbook") << "what was open stays open";
}

TEST_F(Foreign, TheQuestionIsAWindowWithItsAnswers) {
    ChoiceDialog dialog("The bench book cannot be opened", "Why <b>it</b> is so.",
                        {"Open another", "Try again"}, "Leave");
    dialog.show();
    ASSERT_TRUE(QTest::qWaitForWindowExposed(&dialog));
    EXPECT_EQ(dialog.findChild<QLabel*>("question")->textFormat(), Qt::PlainText);
    QTest::mouseClick(dialog.findChild<QPushButton*>("answer1"), Qt::LeftButton);
    EXPECT_EQ(dialog.chosen(), 1);
    ChoiceDialog left("a", "b", {"c"}, "Leave");
    left.show();
    QTest::keyClick(&left, Qt::Key_Escape);
    EXPECT_EQ(left.chosen(), -1);
}

TEST_F(Foreign, AFileNameThatIsMarkupIsShownAsItIs) {
    const QString name = "<img src='x'><b>night<!--.csv";
    QFile::copy(cycleLog(), path(name));
    drop(path(name));
    BatteryCard* card = waitForCard();
    ASSERT_NE(card, nullptr);
    bool seen = false;
    for (const QLabel* label : card->findChildren<QLabel*>()) {
        EXPECT_NE(label->textFormat(), Qt::AutoText) << label->text().toStdString();
        seen |= label->text().contains("<b>night") && label->textFormat() == Qt::PlainText;
    }
    EXPECT_TRUE(seen);
    QTest::mouseClick(card->findChild<QPushButton*>("accept"), Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return window_->shown() != nullptr; }, kPatience_ms));
    settle();
    for (const QLabel* label : window_->findChildren<QLabel*>())
        if (label->isVisible()) {
            EXPECT_NE(label->textFormat(), Qt::AutoText) << label->text().toStdString();
        }
    // Its tooltip too.
    QWidget tipped(window_.get());
    tipped.setToolTip("<b>bold</b>");
    tipped.resize(20, 20);
    tipped.show();
    QHelpEvent help(QEvent::ToolTip, QPoint(2, 2), tipped.mapToGlobal(QPoint(2, 2)));
    QApplication::sendEvent(&tipped, &help);
    EXPECT_TRUE(QToolTip::text().contains("&lt;b&gt;")) << QToolTip::text().toStdString();
    QToolTip::hideText();
}

TEST_F(Foreign, WorkThatThrowsIsAnErrorAndTheWindowLives) {
    Job job;
    QString words;
    QObject::connect(&job, &Job::failed, [&](const QString& w) { words = w; });
    Expected<int> result = 1;
    job.start(
        [](std::stop_token, const Job::ProgressSink&) -> Expected<int> { throw std::bad_alloc(); },
        [&](Expected<int> r) { result = std::move(r); });
    ASSERT_TRUE(QTest::qWaitFor([&] { return !job.running(); }));
    ASSERT_FALSE(result);
    EXPECT_NE(result.error().text().find("memory"), std::string::npos);
    bool done = false;
    job.start(
        [](std::stop_token, const Job::ProgressSink&) -> int { throw std::out_of_range("substr"); },
        [&](int) { done = true; });
    ASSERT_TRUE(QTest::qWaitFor([&] { return !job.running(); }));
    EXPECT_FALSE(done);
    EXPECT_TRUE(words.contains("does not expect")) << words.toStdString();
    EXPECT_FALSE(words.contains("substr")) << "no library's words";
}

TEST_F(Foreign, AReadIsLeftWithinASecondByClosing) {
    std::string text = "time,voltage,current\n";
    for (int k = 0; k < 4'000'000; ++k)
        text += std::to_string(k) + ",3.7,\"1.0\"\n";  // the careful way is slow
    const QString file = writeLog("long.csv", text);
    drop(file);
    ASSERT_TRUE(QTest::qWaitFor([&] { return window_->busy(); }));
    QElapsedTimer clock;
    clock.start();
    window_->close();
    window_.reset();
    EXPECT_LT(clock.elapsed(), 5000) << "bounded on any machine; a second is the aim";
}

TEST_F(Foreign, RoomForBackupsIsKept) {
    PreferencesDialog dialog(window_->preferences());
    dialog.show();
    auto* room = dialog.findChild<QSpinBox*>("backupRoom");
    ASSERT_NE(room, nullptr);
    room->setValue(9);
    Preferences p = dialog.preferences();
    EXPECT_EQ(p.backupRoom_GB, 9);
    p.save();
    EXPECT_EQ(Preferences::load().backupRoom_GB, 9);
}

TEST_F(Foreign, TwoReadingsThatFitEquallyAreShownSideBySide) {
    std::string text = "Time [s],Voltage [V],Current\n";
    for (int k = 0; k < 300; ++k)
        text += std::to_string(20 * k) + "," + std::to_string(3.6 + 0.001 * k) + "," +
                (k > 10 && k < 280 ? "90" : "0") + "\n";
    drop(writeLog("tie.csv", text));
    BatteryCard* card = waitForCard();
    ASSERT_NE(card, nullptr);
    auto* question = card->findChild<QWidget*>("readingQuestion");
    ASSERT_NE(question, nullptr);
    ASSERT_TRUE(QTest::qWaitFor([&] { return question->isVisible(); }));
    EXPECT_FALSE(card->findChild<QPushButton*>("accept")->isEnabled()) << "first the question";
    int way = -1;
    for (int k = 0; k < 2; ++k) {
        auto* words = card->findChild<QLabel*>(QString("wayWords%1").arg(k));
        if (words->text().contains("mA")) way = k;
    }
    ASSERT_GE(way, 0);
    if (const QString folder = qEnvironmentVariable("NK_SHOTS"); !folder.isEmpty())
        card->grab().save(folder + "/tie.png");
    QTest::mouseClick(card->findChild<QPushButton*>(QString("way%1").arg(way)), Qt::LeftButton);
    auto* accept = card->findChild<QPushButton*>("accept");
    ASSERT_TRUE(QTest::qWaitFor([&] { return accept->isEnabled(); }, 10000));
    EXPECT_FALSE(question->isVisible());
    QTest::mouseClick(accept, Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return window_->shown() != nullptr; }, kPatience_ms));
    settle();
    EXPECT_NEAR(window_->shown()->recording->current_A()[100], 0.09, 1e-9);
    // The choice is remembered for headers of this shape.
    drop(writeLog("tie2.csv", text));
    card = waitForCard();
    ASSERT_NE(card, nullptr);
    EXPECT_TRUE(QTest::qWaitFor(
        [&] { return card->findChild<QPushButton*>("accept")->isEnabled(); }, 10000));
    QTest::keyClick(card, Qt::Key_Escape);
    settle();
}

}  // namespace
}  // namespace nk
