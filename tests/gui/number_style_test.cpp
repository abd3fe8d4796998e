// The figures on the screen follow one style: the decimal sign, the degrees and the unit of charge
// that were chosen, at every station and page, whatever the language.
#include <QAbstractButton>
#include <QComboBox>
#include <QLabel>
#include <QRegularExpression>
#include <QTableView>
#include <QTableWidget>
#include <set>

#include "app/plan/plan_station.h"
#include "app/preferences/preferences.h"
#include "app/side/side_station.h"
#include "tests/gui/window.h"

namespace nk {
namespace {

class NumberStyles : public test::Window {
  protected:
    void demo() {
        window_->loadDemo();
        ASSERT_TRUE(QTest::qWaitFor([&] { return !window_->busy(); }, 60000));
    }
    void TearDown() override { QSettings().setValue("language", "en"); }

    /// Every text a person sees in the window now.
    std::set<QString> shown() const {
        std::set<QString> out;
        const auto take = [&](const QString& text) {
            if (!text.isEmpty()) out.insert(text);
        };
        for (const QWidget* w : window_->findChildren<QWidget*>()) {
            if (!w->isVisible() || w->visibleRegion().isEmpty()) continue;
            if (const auto* label = qobject_cast<const QLabel*>(w)) take(label->text());
            if (const auto* button = qobject_cast<const QAbstractButton*>(w)) take(button->text());
            if (const auto* box = qobject_cast<const QComboBox*>(w)) take(box->currentText());
            if (const auto* table = qobject_cast<const QTableView*>(w)) {
                const auto* model = table->model();
                for (int r = 0; r < std::min(20, model->rowCount()); ++r)
                    for (int c = 0; c < model->columnCount(); ++c)
                        take(model->index(r, c).data().toString());
            }
        }
        return out;
    }
    /// Looks at every station, page and plan; `odd` finds what must not be there.
    void everywhere(const QRegularExpression& odd, const QRegularExpression& allowed) {
        const auto list = window_->book().recordings();
        ASSERT_TRUE(list && !list->empty());
        std::set<QString> said;
        const auto look = [&](const QString& where) {
            settle();
            for (const QString& text : shown()) {
                QString rest = text;
                rest.remove(allowed);
                const auto match = odd.match(rest);
                if (match.hasMatch() && said.insert(text).second)
                    ADD_FAILURE() << where.toStdString() << ": \"" << match.captured().toStdString()
                                  << "\" in \"" << text.left(240).toStdString() << "\"";
            }
        };
        std::set<std::string> kinds;
        for (const RecordingEntry& e : *list) {
            const Battery battery = window_->session().batteryOf(e.batteryId);
            if (!kinds.insert(battery.chemistry).second) continue;
            window_->chooseRecording(e.id);
            settle();
            for (int k = 0; k < static_cast<int>(window_->stations().size()); ++k) {
                window_->setStation(k);
                look(QString("%1 at station %2").arg(QString::fromStdString(e.title)).arg(k + 1));
            }
            window_->showBattery(e.batteryId);
            look("page of " + QString::fromStdString(battery.name));
        }
        window_->setStation(5);
        auto* plan = window_->findChild<PlanStation*>();
        for (int asked = 0; asked < 7; ++asked) {
            plan->setAsked(static_cast<PlanStation::Asked>(asked));
            look("plan " + QString::number(asked));
        }
        plan->setAsked(PlanStation::Asked::Charge);
        window_->setStation(0);
    }
    void choose(const Preferences& p) {
        window_->setPreferences(p);
        settle();
    }
};

TEST_F(NumberStyles, WithACommaThereIsNoPointInAFigure) {
    QSettings().setValue("language", "de");
    QSettings().setValue("decimalSign", 2);
    openWindow();
    demo();
    // Dates, names of files, clocks and the marks of thousands keep theirs.
    everywhere(
        QRegularExpression(R"((?<![\d.\w])\d+\.\d+(?![\d.]))"),
        QRegularExpression(
            R"(\d\d?\.\d\d?\.\d{2,4}|\S+\.(csv|txt|nkbook)|\d+:\d\d(:\d\d)?\.\d|\b\d{1,3}(\.\d{3})+\b)"));
}

}  // namespace
}  // namespace nk
