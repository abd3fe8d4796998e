// Every word has its room: at the usual and at a small size, in English and in German, at every
// station no label, button or box shows less than it says, and none lies over another.
#include <set>

#include "app/plan/plan_station.h"
#include "app/preferences/translation.h"
#include "app/side/side_station.h"
#include "tests/gui/window.h"
#include "tests/support/readable.h"

namespace nk {
namespace {

class Room : public test::Window {
  protected:
    void lookEverywhere(const QString& how) {
        const auto list = window_->book().recordings();
        ASSERT_TRUE(list);
        std::set<std::int64_t> batteries;
        for (const RecordingEntry& e : *list) {
            if (!batteries.insert(e.batteryId).second) continue;  // one log of each battery
            window_->chooseRecording(e.id);
            settle();
            for (int station = 0; station < 7; ++station) {
                window_->setStation(station);
                settle();
                look(how + ", " + QString::fromStdString(e.title) + ", station " +
                     QString::number(station + 1));
            }
            window_->showBattery(e.batteryId);
            settle();
            look(how + ", battery page of " + QString::fromStdString(e.title));
        }
        window_->setStation(5);
        auto* plan = window_->findChild<PlanStation*>();
        for (int asked = 0; asked < 7; ++asked) {
            plan->setAsked(static_cast<PlanStation::Asked>(asked));
            settle();
            look(how + ", plan " + QString::number(asked));
        }
        plan->setAsked(PlanStation::Asked::Charge);
        window_->setStation(3);
        window_->findChild<SideStation*>()->openBench();
        settle();
        look(how + ", matching bench");
        window_->setStation(0);
        settle();
    }
    void look(const QString& where) { reader_.look(*window_, where); }
    test::Reader reader_;
};

TEST_F(Room, EverythingIsReadableInEnglishAndGermanAtTwoSizes) {
    window_->loadDemo();
    ASSERT_TRUE(QTest::qWaitFor([&] { return !window_->busy(); }, 60000));
    for (const char* language : {"en", "de"}) {
        if (std::string(language) == "de") {
            QSettings().setValue("language", language);
            openWindow();
            settle();
        }
        // German has the longer words, the small window less room.
        for (const QSize size : {QSize(1280, 800), QSize(1024, 700)}) {
            if (std::string(language) == "de" && size.width() > 1024) continue;
            window_->resize(size);
            settle();
            lookEverywhere(QString("%1 at %2").arg(language).arg(size.width()));
        }
    }
    QSettings().setValue("language", "en");
}

}  // namespace
}  // namespace nk
