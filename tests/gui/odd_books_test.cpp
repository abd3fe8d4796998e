// Books as nobody tidy has them: logs of two rows, of one column that is blank, of fifty cells;
// batteries with endless or strange names and figures at the end of what is accepted. Every station
// and page shows them or says why not, nothing is cut, overlaid or shown as markup.
#include <fmt/format.h>

#include <QAction>
#include <QLabel>
#include <QTextDocument>
#include <cmath>

#include "app/preferences/preferences.h"
#include "app/shell/station_bar.h"
#include "history/take_in.h"
#include "tests/gui/window.h"
#include "tests/support/readable.h"

namespace nk {
namespace {

struct OddLog {
    const char* name;
    std::string text;
    const char* chemistry;
    int series;
    double rated_Ah;
};

std::string table(const std::string& head, int rows, const std::function<std::string(int)>& row) {
    std::string out = head + "\n";
    for (int k = 0; k < rows; ++k) out += row(k) + "\n";
    return out;
}

std::vector<OddLog> oddLogs() {
    const std::string head = "time,voltage,current";
    std::string cells = head;
    for (int n = 1; n <= 50; ++n) cells += fmt::format(",cell {}", n);
    return {
        {"two rows", head + "\n0,3.7,1\n1,3.7,1\n", "nmc", 1, 2},
        {"one row", head + "\n0,3.7,1\n", "nmc", 1, 2},
        {"all at once", table(head, 50, [](int) { return "5,3.7,1"; }), "nmc", 1, 2},
        {"nothing flows", table(head, 400, [](int k) { return fmt::format("{},3.700,0", k); }),
         "lfp", 1, 3},
        {"nothing but zero", table(head, 400, [](int k) { return fmt::format("{},0,0", k); }),
         "nimh", 6, 2},
        {"a year apart",
         table(head, 300,
               [](int k) { return fmt::format("{},3.{},1", 31557600LL * k, 60 + k % 9); }),
         "nmc", 1, 2},
        {"microseconds",
         table(head, 500, [](int k) { return fmt::format("{:.6f},3.7,{}", 1e-6 * k, k % 2); }),
         "nmc", 1, 2},
        {"blank warmth",
         table(head + ",temperature", 200, [](int k) { return fmt::format("{},3.7,-1,", k); }),
         "nmc", 1, 2},
        {"fifty cells",
         table(cells, 300,
               [](int k) {
                   std::string row = fmt::format("{},{:.3f},-2", 10 * k, 50 * (4.1 - 0.002 * k));
                   for (int n = 0; n < 50; ++n)
                       row += fmt::format(",{:.4f}", 4.1 - 0.002 * k - 1e-4 * n);
                   return row;
               }),
         "nmc", 50, 20},
        {"huge currents",
         table(head, 400,
               [](int k) {
                   return fmt::format("{},{:.1f},{}", k, 800 - 0.1 * k, k < 50 ? 0 : -5000);
               }),
         "lfp", 250, 10000},
        {"tiny currents",
         table(head, 400,
               [](int k) { return fmt::format("{},{:.5f},{:.7f}", 60 * k, 3.0 + 1e-5 * k, 1e-6); }),
         "lco", 1, 0.001},
        {"only upwards",
         table(head, 900,
               [](int k) {
                   return fmt::format("{},{:.4f},{:.3f}", k, 3.5 + 7e-4 * k,
                                      2 * std::exp(-k / 300.));
               }),
         "nmc", 1, 2},
    };
}

class OddBooks : public test::Window {
  protected:
    void SetUp() override {
        Window::SetUp();
        const std::string file = path("odd.nkbook").toStdString();
        auto book = BenchBook::open(file);
        ASSERT_TRUE(book);
        int n = 0;
        const std::vector<std::string> names{
            "plain",
            std::string(400, 'W'),
            "<b>bold</b><img src=x>",
            "a\nb\tc",
            "\xE2\x80\xAE"
            "drawkcab",
            "多国語の名前 🔋🔋🔋",
            "  spaces  ",
            "'; DROP TABLE battery; --",
        };
        for (const OddLog& odd : oddLogs()) {
            const auto imported = readTextTable(odd.text, odd.name);
            if (!imported) continue;  // refused is an answer too
            NewLog log;
            log.title = n % 3 == 1 ? std::string(300, 'm') + odd.name : odd.name;
            log.fileName = log.title + ".csv", log.bytes = odd.text, log.imported = &*imported;
            log.at_s = 1.79e9 + n;
            Battery b;
            b.name = names[static_cast<std::size_t>(n) % names.size()] + std::to_string(n);
            b.chemistry = odd.chemistry, b.series = odd.series, b.rated_Ah = odd.rated_Ah;
            log.newBattery = b;
            const auto taken = takeIn(**book, log);
            ASSERT_TRUE(taken) << odd.name << ": " << taken.error().text();
            ++n;
        }
        ASSERT_GE(n, 9);
        BatteryLife life;
        life.notes = std::string(3000, 'n'), life.serial = std::string(200, '9');
        life.usedIn = "<u>under</u>", life.tags = {"one", std::string(30, 't')};
        life.outOfUse = "it is warm: " + std::string(150, 'o');
        const auto kept = (*book)->setLife(2, life);
        ASSERT_TRUE(kept) << kept.error().text();
        book->reset();
        window_->openBook(QString::fromStdString(file));
        ASSERT_TRUE(QTest::qWaitFor(
            [&] {
                return window_->book().recordings().value_or(std::vector<RecordingEntry>{}).size() >
                       5;
            },
            kPatience_ms));
        settle();
    }
    /// The innermost part that wants most room, for the message.
    std::string widest() const {
        const QWidget* most = nullptr;
        for (const QWidget* w : window_->findChildren<QWidget*>())
            if (!w->isHidden() && qobject_cast<const QLabel*>(w) &&
                (most == nullptr || w->minimumSizeHint().width() > most->minimumSizeHint().width()))
                most = w;
        if (most == nullptr) return "";
        return fmt::format("; {} wants {}", test::placeOf(most).toStdString(),
                           most->minimumSizeHint().width());
    }
    /// Nothing that came from a file is markup on the screen.
    void expectPlain(const std::string& where) const {
        for (const QLabel* label : window_->findChildren<QLabel*>()) {
            if (!label->isVisible()) continue;
            const bool rich =
                label->textFormat() == Qt::RichText ||
                (label->textFormat() == Qt::AutoText && Qt::mightBeRichText(label->text()));
            if (!rich) continue;
            EXPECT_EQ(label->text().indexOf("<img"), -1)
                << where << ": " << label->text().toStdString();
            EXPECT_EQ(label->text().indexOf("<b>bold"), -1) << where;
        }
    }
};

TEST_F(OddBooks, EveryLogIsShownOrSaidAtEveryStation) {
    const auto list = window_->book().recordings();
    ASSERT_TRUE(list);
    test::Reader reader;
    for (const RecordingEntry& e : *list) {
        window_->chooseRecording(e.id);
        settle();
        for (int station = 0; station < static_cast<int>(window_->stations().size()); ++station) {
            window_->setStation(station);
            settle();
            const std::string where = fmt::format("log {} at station {}", e.id, station + 1);
            expectPlain(where);
            EXPECT_FALSE(window_->grab().isNull());
            for (const QLabel* label : window_->findChildren<QLabel*>()) {
                if (!label->isVisible()) continue;
                const QString words = " " + label->text().toLower() + " ";
                for (const char* odd : {" nan", "inf ", "{}", " -0 "})
                    EXPECT_EQ(words.indexOf(odd), -1)
                        << where << ": " << label->text().left(200).toStdString();
            }
        }
        window_->showBattery(e.batteryId);
        settle();
        expectPlain(fmt::format("battery of log {}", e.id));
        reader.look(*window_, QString("battery of log %1").arg(e.id));
        window_->setStation(0);
    }
}

TEST_F(OddBooks, StaysSmallWhateverTheNamesAre) {
    const auto list = window_->book().recordings();
    ASSERT_TRUE(list);
    window_->resize(1024, 700);
    std::map<int, int> usual;  // what each station wants for the first, plain log
    for (const RecordingEntry& e : *list) {
        window_->chooseRecording(e.id);
        settle();
        for (int station = 0; station < static_cast<int>(window_->stations().size()); ++station) {
            window_->setStation(station);
            settle();
            usual.emplace(station, window_->minimumSizeHint().width());
            EXPECT_LE(window_->minimumSizeHint().width(), usual[station] + 20)
                << "log " << e.id << " at station " << station + 1 << widest();
            EXPECT_LE(window_->width(), 1024) << "log " << e.id << " at station " << station + 1;
        }
        window_->showBattery(e.batteryId);
        settle();
        EXPECT_LE(window_->width(), 1024) << "battery of log " << e.id;
    }
}

TEST_F(OddBooks, EveryActionOfTheMenuIsSafeInEveryState) {
    dialogs_.save = path("out.any");
    dialogs_.logs = {};
    const auto list = window_->book().recordings();
    ASSERT_TRUE(list);
    std::size_t tried = 0;
    for (std::size_t n = 0; n < list->size(); n += list->size()) {
        window_->chooseRecording((*list)[n].id);
        settle();
        for (const int station : {0, 5}) {
            window_->setStation(station);
            settle();
            for (QAction* action : window_->findChildren<QAction*>()) {
                const QString name = action->text().remove('&');
                // Printing asks the system; others end or replace what is tried here.
                if (!action->isEnabled() || action->menu() != nullptr || action->isSeparator() ||
                    name.isEmpty() || name.startsWith("Quit") || name.startsWith("Print") ||
                    name.contains("demo", Qt::CaseInsensitive) || name.startsWith("New"))
                    continue;
                const QPointer<QAction> held(action);
                action->trigger();
                ++tried;
                QCoreApplication::processEvents();
                for (QDialog* dialog : window_->findChildren<QDialog*>())
                    if (dialog->isVisible()) dialog->reject();
                if (QWidget* popup = QApplication::activePopupWidget()) popup->close();
                if (!window_->isVisible()) window_->show();
            }
            settle();
            for (QDialog* dialog : window_->findChildren<QDialog*>())
                if (dialog->isVisible()) dialog->reject();
        }
    }
    EXPECT_GT(tried, 20U);
    const auto report = window_->book().verify();
    ASSERT_TRUE(report);
    EXPECT_TRUE(report->faults.empty());
}

}  // namespace
}  // namespace nk
