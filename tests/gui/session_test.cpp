// The session and the frame: nothing that was asked for is lost, made in the wrong book, or said of
// the wrong thing; the frame takes any stations.
#include <QElapsedTimer>
#include <QInputDialog>
#include <QTableWidget>

#include "app/curve/curve_station.h"
#include "app/plot/lanes_plot.h"
#include "app/plot/ribbon.h"
#include "app/shell/station_bar.h"
#include "app/shell/stations.h"
#include "app/strength/resistance_dialog.h"
#include "app/strength/strength_presenter.h"
#include "app/strength/strength_station.h"
#include "tests/gui/window.h"

namespace nk {
namespace {

class Sessions : public test::Window {
  protected:
    QString said() const { return part<QLabel>("inlineText")->text(); }
    /// A change that takes a while, so that others wait for it.
    void slowChange(int ms) {
        window_->session().change([ms](BenchBook&) -> Expected<void> {
            QThread::msleep(static_cast<unsigned long>(ms));
            return {};
        });
    }
    std::string nameIn(const QString& book) {
        auto opened = BenchBook::open(path(book).toStdString(), false);
        const auto all = (*opened)->batteries();
        return all->empty() ? std::string() : all->front().battery.name;
    }
};

TEST_F(Sessions, WaitingChangesAreMadeInTheBookTheyWereAskedFor) {
    importCycle();
    slowChange(300);
    window_->session().changeBattery(
        1, [](Battery& b) { b.name = "renamed while waiting"; }, false);
    window_->openBook(path("other.nkbook"));
    Battery other;
    other.name = "of the other book";
    window_->session().change([other](BenchBook& b) -> Expected<void> {
        return b.addBattery(other).map([](std::int64_t) {});
    });
    settle();
    EXPECT_EQ(nameIn("bench.nkbook"), "renamed while waiting");
    EXPECT_EQ(nameIn("other.nkbook"), "of the other book");
}

TEST_F(Sessions, OpeningABookOrChoosingALogNeverWaitsForWhatIsUnderWay) {
    importCycle();
    // Work that lasts as long as we want, and does not care for being asked to stop.
    struct Shared {  // with the worker, which may outlive a test that fails
        std::atomic<bool> over = false, waited = false;
    };
    const auto both = std::make_shared<Shared>();
    window_->session().run(
        "slow",
        [both](std::stop_token, const Job::ProgressSink&) -> Expected<int> {
            for (int k = 0; k < 2000 && !both->over; ++k) QThread::msleep(10);
            both->waited = !both->over;
            return 1;
        },
        [](Expected<int>) {});
    window_->openBook(path("other.nkbook"));
    window_->openBook(path("bench.nkbook"));
    window_->chooseRecording(1);
    window_->chooseRecording(1);
    both->over = true;  // not reached in twenty seconds where the window waits for the work
    settle();
    EXPECT_FALSE(both->waited);
    EXPECT_NE(window_->shown(), nullptr);
}

TEST_F(Sessions, WorkIsDoneOneAfterTheOtherAndNoneVanishes) {
    std::vector<int> order;
    for (int k = 0; k < 4; ++k)
        window_->session().run(
            QString::number(k),
            [k](std::stop_token, const Job::ProgressSink&) -> Expected<int> {
                QThread::msleep(30);
                if (k == 2) throw std::runtime_error("not expected");
                return k;
            },
            [&order](Expected<int> done) { order.push_back(done ? *done : -1); });
    settle();
    EXPECT_EQ(order, (std::vector<int>{0, 1, -1, 3}));
    EXPECT_FALSE(window_->session().working());
}

TEST_F(Sessions, ASheetAskedForDuringAnImportLosesNeither) {
    importCycle();
    dialogs_.save = path("sheet.html");
    QSignalSpy finished(window_.get(), &MainWindow::importFinished);
    drop(cycleLog());
    for (QAction* a : window_->actions())
        if (a->text() == "Bench sheet of this log…") a->trigger();
    BatteryCard* card = waitForCard();
    ASSERT_NE(card, nullptr);
    QTest::mouseClick(card->findChild<QPushButton*>("accept"), Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return finished.count() > 0; }, kPatience_ms));
    settle();
    EXPECT_TRUE(finished.front().front().toBool());
    EXPECT_EQ(window_->book().recordings()->size(), 2u);
    EXPECT_TRUE(QFile::exists(path("sheet.html")));
}

TEST_F(Sessions, AFileDroppedWhileTheDemoLoadsIsReadAfterIt) {
    window_->loadDemo();
    drop(cycleLog());
    BatteryCard* card = waitForCard();
    ASSERT_NE(card, nullptr);
    EXPECT_GT(window_->book().recordings()->size(), 10u) << "the demo came first";
    card->reject();
    settle();
}

TEST_F(Sessions, ACancelledDemoSaysWhatIsTrue) {
    QSignalSpy finished(window_.get(), &MainWindow::importFinished);
    window_->loadDemo();
    QTest::qWait(30);
    QTest::mouseClick(part<QPushButton>("cancelWork"), Qt::LeftButton);
    ASSERT_TRUE(QTest::qWaitFor([&] { return finished.count() > 0; }, 60000));
    settle();
    const bool stored = finished.front().front().toBool();
    EXPECT_EQ(window_->book().recordings()->empty(), !stored);
    EXPECT_EQ(said().contains("Nothing was changed"), !stored) << said().toStdString();
}

TEST_F(Sessions, AnOwnCurveGoesToTheBatteryItWasMadeFor) {
    importCycle();
    const auto mine = window_->shown()->batteryId;
    Battery other;
    other.name = "Other", other.chemistry = "nmc", other.series = 3, other.rated_Ah = 2.5;
    const auto theirs = *window_->book().addBattery(other);
    window_->setStation(2);
    settle();
    OwnCurve curve;
    curve.soc = {0, 0.5, 1}, curve.voltage_V = {3.0, 3.7, 4.2};
    // The log moves to another battery while the study of the first is on screen.
    Q_EMIT window_->findChild<StrengthStation*>()->ownCurveChanged(mine, curve);
    ASSERT_TRUE(window_->book().assignBattery(window_->shown()->id, theirs));
    settle();
    const auto all = window_->book().batteries();
    for (const BatteryEntry& e : *all)
        EXPECT_EQ(e.battery.ownCurve().empty(), e.id != mine) << e.battery.name;
}

TEST_F(Sessions, ClosingWritesWhatWaitsAndSaysWhatFails) {
    importCycle();
    slowChange(150);
    window_->session().changeBattery(
        1, [](Battery& b) { b.name = "at the last moment"; }, false);
    window_->session().change([](BenchBook&) -> Expected<void> {
        return fail(ErrorKind::Storage, "The disk is on fire.");
    });
    struct Told : test::FakeDialogs {
        void tell(QWidget*, const QString&, const QString& words) override { told = words; }
        QString told;
    };
    const QStringList problems = window_->session().finishChanges();
    ASSERT_EQ(problems.size(), 1);
    EXPECT_TRUE(problems.front().contains("on fire"));
    EXPECT_EQ(nameIn("bench.nkbook"), "at the last moment");
}

TEST_F(Sessions, AnEdgeThatIsHeldIsLetGoWhenTheStepsChange) {
    importCycle();
    auto* ribbon = window_->findChild<CurveStation*>()->ribbon();
    QSignalSpy moved(ribbon, &Ribbon::edgeMoved);
    // Find an edge by its cursor, press it, let other steps come in, and let go.
    int x = 0;
    for (int k = 4; k < ribbon->width(); ++k) {
        QTest::mouseMove(ribbon, QPoint(k, 15));
        if (ribbon->cursor().shape() == Qt::SplitHCursor) {
            x = k;
            break;
        }
    }
    ASSERT_GT(x, 0) << "no edge found";
    QTest::mousePress(ribbon, Qt::LeftButton, {}, QPoint(x, 15));
    Steps fewer = window_->shown()->analysis.steps;
    fewer.list.resize(1);
    ribbon->setSteps(fewer);
    QTest::mouseMove(ribbon, QPoint(x + 30, 15));
    QTest::mouseRelease(ribbon, Qt::LeftButton, {}, QPoint(x + 30, 15));
    EXPECT_EQ(moved.count(), 0);
}

TEST(Resistances, ADecimalCommaIsNoSecondReading) {
    const auto read = [](const char* text) { return parseResistances(text, {}); };
    using Values = std::vector<double>;
    const auto near = [](const Expected<Values>& got, const Values& wanted) {
        ASSERT_TRUE(got) << got.error().text();
        ASSERT_EQ(got->size(), wanted.size());
        for (std::size_t k = 0; k < wanted.size(); ++k) EXPECT_NEAR((*got)[k], wanted[k], 1e-12);
    };
    near(read("0,26 ohm"), {0.26});
    near(read("0.26 ohm"), {0.26});
    near(read("288, 260, 261 mΩ"), {0.288, 0.260, 0.261});
    near(read("288,260,261 mΩ"), {0.288, 0.260, 0.261});
    near(read("28,5 mΩ; 27,9 mΩ"), {0.0285, 0.0279});
    near(read("46.1 mohm 46.0 mohm"), {0.0461, 0.0460});
    EXPECT_FALSE(read("28,26 mΩ")) << "one or two: only the reader of the meter knows";
    EXPECT_FALSE(read("0 ohm")) << "without a rating too";
    EXPECT_FALSE(read("0,0 mΩ"));
    EXPECT_FALSE(read("12"));
    EXPECT_FALSE(read("mΩ"));
}

TEST(Lanes, ARowWhoseCellsAreAllBlankHasNoSpread) {
    RecordingData d;
    for (int k = 0; k < 50; ++k) {
        d.time_s.push_back(k);
        d.voltage_V.push_back(7.2);
        d.current_A.push_back(-1);
    }
    d.cells_V.assign(2, std::vector<double>(50, 3.6));
    d.cells_V[1].assign(50, 3.61);
    for (int k = 20; k < 25; ++k) d.cells_V[0][k] = d.cells_V[1][k] = kNaN;
    LanesPlot plot;
    plot.setRecording(Recording::make(std::move(d)));
    plot.resize(800, 500);
    for (QCPAxisRect* lane : plot.axisRects())
        for (QCPAxis* axis : lane->axes(QCPAxis::atLeft)) {
            EXPECT_GT(axis->range().lower, -1e6);
            EXPECT_LT(axis->range().upper, 1e6);
        }
}

/// A station of a test.
class Plain : public Station {
  public:
    Plain(QString name, QString ask, Scope scope, QWidget* parent)
        : Station(parent), name_(std::move(name)), ask_(std::move(ask)), scope_(scope) {}
    QString name() const override { return name_; }
    QString ask() const override { return ask_; }
    Scope scope() const override { return scope_; }
    Question question() const override { return Question::Curve; }
    void show(ShownPtr) override {}
    void showEvidence(const Evidence&, const QString&) override {}
    void applyColours() override {}
    QString helpPage() const override { return "curve"; }
    QWidget* firstFocus() override { return this; }

  private:
    QString name_, ask_;
    Scope scope_;
};

class SevenStations : public testing::TestWithParam<const char*> {};

TEST_P(SevenStations, FitTheBarAtBothSizes) {
    const bool german = std::string(GetParam()) == "de";
    // The stations to come, with their questions at the length they will have.
    const std::pair<const char*, const char*> names[] = {
        {german ? "Kurve" : "Curve", german ? "was geschah?" : "what happened?"},
        {german ? "Ende" : "Finish", german ? "rechtzeitig gestoppt?" : "did it stop in time?"},
        {german ? "Stärke" : "Strength", german ? "wie stark ist er?" : "how strong is it?"},
        {german ? "Nebeneinander" : "Side by side", german ? "was ist anders?" : "what differs?"},
        {german ? "Gewohnheiten" : "Habits", german ? "was lässt ihn altern?" : "what ages it?"},
        {german ? "Plan" : "Plan", german ? "was stelle ich ein?" : "what do I set?"},
        {german ? "Werkbank" : "Bench", german ? "was geschieht gerade?" : "what happens now?"}};
    QTemporaryDir folder;
    QSettings::setDefaultFormat(QSettings::IniFormat);
    QSettings::setPath(QSettings::IniFormat, QSettings::UserScope, folder.path());
    QSettings().clear();
    QSettings().setValue("language", GetParam());
    applyTheme(*qApp, ThemeChoice::Paper);
    auto book = BenchBook::open(folder.filePath("b.nkbook").toStdString());
    ASSERT_TRUE(book);
    test::FakeDialogs dialogs;
    MainWindow window(
        std::move(*book), dialogs, nullptr, [&](Session&, RecordingActions&, QWidget* parent) {
            std::vector<Station*> out;
            for (const auto& [name, ask] : names)
                out.push_back(new Plain(
                    name, ask, out.size() == 6 ? Station::Scope::Book : Station::Scope::Recording,
                    parent));
            return out;
        });
    window.show();
    for (const int width : {1280, 1024}) {
        window.resize(width, 700);
        ASSERT_TRUE(QTest::qWaitForWindowExposed(&window));
        QApplication::processEvents();
        const auto* bar = window.findChild<StationBar*>();
        int last = 0;
        for (int k = 1; k <= 7; ++k) {
            const auto* button = window.findChild<QPushButton*>(QString("station-%1").arg(k));
            ASSERT_NE(button, nullptr);
            EXPECT_GE(button->x(), last) << "they lie over each other";
            last = button->x() + button->width();
            for (const QLabel* label : button->findChildren<QLabel*>()) {
                if (!label->isVisible()) continue;
                EXPECT_LE(label->sizeHint().width(), label->width())
                    << label->text().toStdString() << " is cut at " << width;
            }
        }
        EXPECT_LE(last, bar->menuButton()->x());
    }
    // A station of the whole book lives without any log.
    window.setStation(6);
    EXPECT_TRUE(window.stations()[6]->isVisible());
    window.setStation(0);
    EXPECT_FALSE(window.stations()[0]->isVisible()) << "an empty shelf has its own page";
}

INSTANTIATE_TEST_SUITE_P(Languages, SevenStations, testing::Values("en", "de"));

}  // namespace
}  // namespace nk
