// Every dialog of the window, one by one: its words have their room in both languages, it fits a
// small screen, every field is reached by Tab and has a name, Escape leaves everything as it was,
// and whatever is typed breaks nothing.
#include <QAccessible>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <functional>

#include "app/bench/source_dialog.h"
#include "app/finish/meter_check_dialog.h"
#include "app/life/due_dialog.h"
#include "app/life/intake_dialog.h"
#include "app/life/label_dialog.h"
#include "app/life/life_dialog.h"
#include "app/life/rules_dialog.h"
#include "app/life/skin_dialog.h"
#include "app/origin/things_dialog.h"
#include "app/preferences/preferences_dialog.h"
#include "app/reading/import_list.h"
#include "app/shelf/pad_dialog.h"
#include "app/shell/action_finder.h"
#include "app/shell/backup_list.h"
#include "app/shell/choice_dialog.h"
#include "app/shell/key_sheet.h"
#include "app/side/log_chooser.h"
#include "app/strength/resistance_dialog.h"
#include "tests/gui/window.h"
#include "tests/support/readable.h"

namespace nk {
namespace {

class EveryDialog : public test::Window {
  protected:
    using Made = std::unique_ptr<QDialog>;

    static BatteryEntry lamp() {
        BatteryEntry e;
        e.id = 1, e.revision = 1;
        e.battery.name = "Dew heater <2>", e.battery.chemistry = "nmc", e.battery.series = 3;
        e.battery.rated_Ah = 2.5;
        return e;
    }
    static BatteryLife known() {
        BatteryLife life;
        life.serial = "0042", life.tags = {"field", "winter"}, life.usedIn = "a box";
        life.notes = "first line\nsecond line", life.worth = 12, life.worthUnit = "km";
        life.inUseSince_s = 1.7e9, life.bought_s = 1.69e9;
        return life;
    }
    std::vector<std::pair<std::string, std::function<Made()>>> all() {
        QWidget* over = window_.get();
        const auto log = test::logged(test::lithiumCycle(R"({"interval_s": 10})")).imported;
        std::vector<DueTask> due(2);
        due[0].battery = "Dew heater <2>", due[0].task = "retest", due[0].due_s = 1.7e9;
        due[0].text = "Log a full cycle.", due[0].reason = "The last one was in spring.";
        due[1] = due[0], due[1].task = "storage_check", due[1].due_s = 3e9;
        return {
            {"preferences", [over] { return Made(new PreferencesDialog(Preferences{}, over)); }},
            {"life",
             [this, over] {
                 return Made(new LifeDialog(lamp(), known(), {lamp()}, dialogs_, over));
             }},
            {"intake", [over] { return Made(new IntakeDialog({lamp()}, over)); }},
            {"labels", [over] { return Made(new LabelDialog(12, over)); }},
            {"rules", [over] { return Made(new RulesDialog(VerdictRules{}, DueRules{}, over)); }},
            {"due", [due, over] { return Made(new DueDialog(due, 1.75e9, over)); }},
            {"nothing due", [over] { return Made(new DueDialog({}, 1.75e9, over)); }},
            {"skin", [over] { return Made(new SkinDialog("Dew heater <2>", over)); }},
            {"pad", [over] { return Made(new PadDialog(lamp(), over)); }},
            {"a kept reading",
             [over] {
                 SpotReading r;
                 r.id = 3, r.batteryId = 1, r.kind = "resistance", r.value = 0.058;
                 r.atEpoch_s = 1.7e9, r.note = "by hand", r.method = "ac_1khz";
                 return Made(new PadDialog(lamp(), r, over));
             }},
            {"resistance", [over] { return Made(new ResistanceDialog(lamp().battery, over)); }},
            {"meter check",
             [log, over] {
                 return Made(new MeterCheckDialog(log.recording, {300, 3000}, over));
             }},
            {"things", [over] { return Made(new ThingsDialog(BookThings{}, over)); }},
            {"keys",
             [over] {
                 return Made(
                     new KeySheet({{"Undo", "Ctrl+Z"}, {"Open a bench book", "Ctrl+O"}}, over));
             }},
            {"backups",
             [over] {
                 return Made(new BackupList({{"/tmp/a.nkbook", 1.7e9, 123456}}, over));
             }},
            {"choice",
             [over] {
                 return Made(new ChoiceDialog("Damaged", "What now?", {"Bring back", "Copy"},
                                              "Leave it", over));
             }},
            {"finder",
             [over] {
                 std::vector<FinderEntry> entries;
                 for (int k = 0; k < 40; ++k)
                     entries.push_back({"Entry " + QString::number(k), "", [] {}});
                 return Made(new ActionFinder(entries, over));
             }},
            {"import",
             [over] {
                 return Made(new ImportList("a.csv", {"b.csv", "<i>c</i>.csv"}, over));
             }},
            {"simulated source",
             [this, over] {
                 return Made(
                     new SourceDialog(window_->session(), SourceDialog::Kind::Simulated, over));
             }},
            {"file source",
             [this, over] {
                 return Made(new SourceDialog(window_->session(), SourceDialog::Kind::File, over));
             }},
            {"serial source",
             [this, over] {
                 return Made(
                     new SourceDialog(window_->session(), SourceDialog::Kind::Serial, over));
             }},
            {"own battery",
             [this, over] {
                 return Made(
                     new SourceDialog(window_->session(), SourceDialog::Kind::Computer, over));
             }},
            {"logs",
             [this, over] { return Made(new LogChooser(window_->session(), {}, {}, over)); }},
        };
    }
    static void open(QDialog& dialog) {
        dialog.open();
        ASSERT_TRUE(QTest::qWaitForWindowExposed(&dialog));
        dialog.activateWindow();
        ASSERT_TRUE(QTest::qWaitForWindowActive(&dialog));
    }
    static std::vector<QWidget*> reachable(const QDialog& dialog) {
        std::vector<QWidget*> out;
        for (QWidget* w : dialog.findChildren<QWidget*>()) {
            if (!w->isVisible() || !w->isEnabled() || !(w->focusPolicy() & Qt::TabFocus)) continue;
            if (w->focusProxy() != nullptr || w->inherits("QScrollArea")) continue;
            // The line inside a spin box, the list of a box: parts of one field.
            bool part = false;
            for (QWidget* up = w->parentWidget(); up != nullptr && up != &dialog;
                 up = up->parentWidget())
                part |= up->inherits("QAbstractSpinBox") || up->inherits("QComboBox") ||
                        up->inherits("QAbstractItemView");
            // Of several choices of which one holds, Tab takes the chosen one.
            if (const auto* radio = qobject_cast<QAbstractButton*>(w))
                part |= radio->autoExclusive() && !radio->isChecked();
            if (!part) out.push_back(w);
        }
        return out;
    }
};

TEST_F(EveryDialog, CanBeReadInBothLanguagesAndFitsASmallScreen) {
    importCycle();
    test::Reader reader;
    for (const char* language : {"en", "de"}) {
        if (std::string(language) == "de") {
            QSettings().setValue("language", language);
            openWindow();
        }
        for (const auto& [name, make] : all()) {
            const auto dialog = make();
            open(*dialog);
            reader.look(*dialog, QString("%1 in %2").arg(QString::fromStdString(name), language));
            EXPECT_LE(dialog->height(), 700) << name;
            EXPECT_LE(dialog->width(), 1024) << name;
            EXPECT_FALSE(dialog->windowTitle().isEmpty()) << name;
        }
    }
    QSettings().setValue("language", "en");
}

TEST_F(EveryDialog, IsReachedAllOverByTabAndSpokenByName) {
    importCycle();
    for (const auto& [name, make] : all()) {
        const auto dialog = make();
        open(*dialog);
        std::set<QWidget*> reached;
        for (int k = 0; k < 60; ++k) {
            if (QWidget* now = QApplication::focusWidget()) {
                reached.insert(now);
                for (QWidget* up = now->parentWidget(); up != nullptr && up != dialog.get();
                     up = up->parentWidget())
                    reached.insert(up);
            }
            QTest::keyClick(
                QApplication::focusWidget() ? QApplication::focusWidget() : dialog.get(),
                Qt::Key_Tab);
        }
        for (QWidget* w : reachable(*dialog)) {
            const std::string what =
                name + ": " + w->metaObject()->className() + " " + w->objectName().toStdString();
            EXPECT_TRUE(reached.contains(w)) << what << " is not reached";
            QAccessibleInterface* spoken = QAccessible::queryAccessibleInterface(w);
            ASSERT_NE(spoken, nullptr) << what;
            if (spoken->role() == QAccessible::StaticText) continue;
            EXPECT_FALSE(spoken->text(QAccessible::Name).isEmpty() &&
                         spoken->text(QAccessible::Value).isEmpty())
                << what << " has no name";
        }
    }
}

TEST_F(EveryDialog, IsLeftByEscapeAndNothingWasDone) {
    importCycle();
    const auto before = window_->book().undoLabel().value_or("?");
    for (const auto& [name, make] : all()) {
        const auto dialog = make();
        open(*dialog);
        QSignalSpy accepted(dialog.get(), &QDialog::accepted);
        QTest::keyClick(QApplication::focusWidget() ? QApplication::focusWidget() : dialog.get(),
                        Qt::Key_Escape);
        // A field may take the first one for itself (a search, a half-typed number).
        if (dialog->isVisible()) QTest::keyClick(dialog.get(), Qt::Key_Escape);
        EXPECT_FALSE(dialog->isVisible()) << name;
        EXPECT_EQ(accepted.count(), 0) << name;
    }
    settle();
    EXPECT_EQ(window_->book().undoLabel().value_or("?"), before);
}

TEST_F(EveryDialog, StandsWhateverIsTyped) {
    importCycle();
    const QStringList odd{"<b>&amp;</b>",     "1e999", "−3,5", "nan",        "🔋🔋", "' ; --",
                          QString(3000, 'x'), "\t\n",  "0",    "99999999999"};
    for (const auto& [name, make] : all())
        for (const QString& text : odd) {
            const auto dialog = make();
            open(*dialog);
            for (auto* field : dialog->findChildren<QLineEdit*>()) {
                if (!field->isVisible() || field->isReadOnly()) continue;
                field->setFocus();
                field->selectAll();
                const bool keys = std::all_of(text.begin(), text.end(), [](QChar c) {
                    return c.unicode() >= 0x20 && c.unicode() < 0x7F;
                });
                if (keys && text.size() < 100)
                    QTest::keyClicks(field, text);
                else
                    field->insert(text);
                EXPECT_TRUE(dialog->isVisible()) << name << " \"" << text.toStdString() << "\"";
            }
            for (auto* field : dialog->findChildren<QPlainTextEdit*>())
                field->insertPlainText(text);
            QCoreApplication::processEvents();
            EXPECT_LE(dialog->width(), 1400) << name << ": a long word makes no wide window";
            // Whatever it says of it, it can still be left.
            dialog->reject();
            EXPECT_FALSE(dialog->isVisible()) << name;
        }
}

TEST_F(EveryDialog, LivesInBothLooks) {
    importCycle();
    for (const ThemeChoice look : {ThemeChoice::NightBench, ThemeChoice::Paper}) {
        applyTheme(*qApp, look);
        for (const auto& [name, make] : all()) {
            const auto dialog = make();
            open(*dialog);
            const QImage picture = dialog->grab().toImage();
            // Its ground is the look's: no white sheet at night.
            const QColor corner = picture.pixelColor(3, 3);
            EXPECT_EQ(corner.lightness() < 128, currentTheme().dark) << name;
        }
    }
}

}  // namespace
}  // namespace nk
