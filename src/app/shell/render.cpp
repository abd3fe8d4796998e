#include "app/shell/render.h"
#include "app/bench/bench_station.h"
#include "app/side/matching_bench.h"
#include "app/side/side_station.h"

#include <QAction>
#include <QApplication>
#include <QComboBox>
#include <QDialog>
#include <QDir>
#include <QElapsedTimer>
#include <QFile>
#include <QLineEdit>
#include <QMenu>
#include <QPushButton>
#include <QSettings>
#include <QSpinBox>
#include <QTemporaryDir>
#include <QTextStream>
#include <QThread>

#include "app/curve/curve_station.h"
#include "app/findings/findings_panel.h"
#include "app/job/job.h"
#include "app/plan/plan_station.h"
#include "app/plot/lanes_plot.h"
#include "app/preferences/preferences_dialog.h"
#include "app/shell/battery_card.h"
#include "app/shell/help_page.h"
#include "app/shell/main_window.h"
#include "app/shell/station_bar.h"

namespace nk {

namespace {

/// Lets the window finish its work; only used for making pictures.
void settle(MainWindow& window) {
    QElapsedTimer timer;
    timer.start();
    int quiet = 0;
    while (timer.elapsed() < 60000 && quiet < 12) {
        QApplication::processEvents(QEventLoop::AllEvents, 20);
        QThread::msleep(5);
        quiet = window.busy() || Job::underWay() > 0 ? 0 : quiet + 1;
    }
}

}  // namespace

int renderViews(QApplication& app, const QString& folder) {
    QTextStream err(stderr);
    QTemporaryDir temporary;
    if (!QDir().mkpath(folder) || !temporary.isValid()) {
        err << folder << ": the folder cannot be made." << Qt::endl;
        return 1;
    }
    QSettings::setDefaultFormat(QSettings::IniFormat);
    QSettings::setPath(QSettings::IniFormat, QSettings::UserScope, temporary.path());
    // Pictures are the same on every machine, whatever it speaks.
    QSettings().setValue("language", qEnvironmentVariable("NK_LANGUAGE", "en"));
    QSettings().setValue("decimalSign", qEnvironmentVariableIsSet("NK_LANGUAGE") ? 2 : 1);
    applyTheme(app, ThemeChoice::Paper);
    auto book = BenchBook::open(temporary.filePath("Hill field kit.nkbook").toStdString());
    if (!book) {
        err << QString::fromStdString(book.error().text()) << Qt::endl;
        return 1;
    }
    struct : Dialogs {
        QString target, file;
        QString openFile(QWidget*, const QString&, const QString&) override { return file; }
        QString saveAs(QWidget*, const QString&, const QString&, const QString&) override {
            return target;
        }
    } dialogs;
    MainWindow window(std::move(*book), dialogs);
    window.resize(1280, 800);
    window.show();
    int written = 0;
    const auto shot = [&](const QString& name) {
        settle(window);
        if (window.grab().save(folder + "/" + name + ".png")) ++written;
    };
    const auto choose = [&](const char* file) {
        auto list = window.book().recordings();
        if (!list) return;
        for (const RecordingEntry& e : *list)
            if (e.fileName == file) window.chooseRecording(e.id);
        settle(window);
        window.station()->firstFocus()->setFocus();
    };
    shot("start");
    if (qEnvironmentVariableIsSet("NK_ALL_PICTURES")) {
        window.setTheme(ThemeChoice::NightBench);
        shot("start-night");
        window.setTheme(ThemeChoice::Paper);
    }
    window.loadDemo();
    settle(window);
    choose("dew-heater-full-cycle.csv");
    auto* findings = window.findChild<FindingsPanel*>();
    Q_EMIT findings->evidenceRequested(0);
    shot("curve");
    auto* curve = window.findChild<CurveStation*>();
    curve->setAcross(AxisKind::Charge);
    curve->setChargeLane(true);
    curve->plot()->showAll();
    shot("curve-charge");
    curve->setAcross(AxisKind::Time);
    curve->setChargeLane(false);
    window.setTheme(ThemeChoice::NightBench);
    choose("mount-pack-lazy-charger.csv");
    shot("curve-night");
    window.setTheme(ThemeChoice::Paper);
    choose("camera-flash-overvoltage.csv");
    Q_EMIT findings->evidenceRequested(0);
    shot("hazard");
    choose("red-torch-quick-peak.csv");
    for (std::size_t k = 0; k < findings->cards().size(); ++k)
        if (findings->cards()[k].code == "peak_time")
            Q_EMIT findings->evidenceRequested(static_cast<int>(k));
    shot("nickel");
    window.setStation(1);
    shot("finish");
    choose("mount-pack-lazy-charger.csv");
    window.setTheme(ThemeChoice::NightBench);
    shot("finish-night");
    window.setTheme(ThemeChoice::Paper);
    window.setStation(2);
    choose("flash-pack-rate-10c.csv");
    window.findChild<QPushButton*>("picture-2")->click();
    shot("strength");
    if (qEnvironmentVariableIsSet("NK_ALL_PICTURES")) {
        const auto dialog = [&](const char* action, const QString& name) {
            for (QAction* a : window.actions())
                if (a->text() == QCoreApplication::translate("nk::MainWindow", action))
                    a->trigger();
            settle(window);
            for (QDialog* d : window.findChildren<QDialog*>()) {
                if (!d->isVisible()) continue;
                d->grab().save(folder + "/" + name + ".png");
                d->reject();
            }
            settle(window);
        };
        dialog("Preferences…", "preferences");
        dialog("Find an action or a log…", "finder");
        dialog("Keys", "keys");
        dialog("Bring a backup back…", "backups");
        dialog("Check the book", "check");
        for (const auto& [action, file] : {std::pair("Bench sheet of this battery…", "battery.pdf"),
                                           std::pair("Bench sheet of this log…", "log.pdf")}) {
            dialogs.target = folder + "/" + file;
            for (QAction* a : window.actions())
                if (a->text() == QCoreApplication::translate("nk::MainWindow", action))
                    a->trigger();
            settle(window);
        }
        window.findChild<StationBar*>()->menuButton()->menu()->popup(QPoint(300, 100));
        window.findChild<StationBar*>()->menuButton()->menu()->grab().save(folder + "/menu.png");
        window.findChild<StationBar*>()->menuButton()->menu()->hide();
        HelpPage help("finish");
        help.show();
        while (!help.picturesReady()) settle(window);
        help.grab().save(folder + "/help.png");
        for (const int k : {0, 3, 5}) {
            window.findChild<QPushButton*>(QString("picture-%1").arg(k))->click();
            shot(QString("strength-%1").arg(k));
        }
        choose("dew-heater-cold-night.csv");
        window.findChild<QPushButton*>("picture-1")->click();
        shot("strength-1");
    }
    if (const auto all = window.book().batteries())
        for (const BatteryEntry& e : *all)
            if (e.battery.name == "Mount pack A") window.showBattery(e.id);
    window.findChild<QWidget*>("inlineBar")->hide();  // what was said of the sheet before
    shot("battery");
    if (qEnvironmentVariableIsSet("NK_ALL_PICTURES")) {
        window.setTheme(ThemeChoice::NightBench);
        shot("battery-night");
        window.setTheme(ThemeChoice::Paper);
        if (const auto all = window.book().batteries())
            for (const BatteryEntry& e : *all)
                if (e.battery.name == "Radio module 7") {
                    window.showBattery(e.id);
                    shot("battery-radio");
                    for (const auto& [open, name] : {std::pair(&LifeActions::editLife, "life"),
                                                     std::pair(&LifeActions::look, "skin")}) {
                        (window.parts().life.*open)(e.id);
                        settle(window);
                        for (QDialog* d : window.findChildren<QDialog*>(name)) {
                            d->grab().save(folder + "/" + name + ".png");
                            d->reject();
                        }
                    }
                }
    }
    for (const auto& [action, name] :
         {std::pair("What is due…", "due"), std::pair("Take in many…", "intake"),
          std::pair("Labels for all batteries…", "labels"),
          std::pair("Rules of verdict and due list…", "rules")}) {
        if (QString(name) != "due" && !qEnvironmentVariableIsSet("NK_ALL_PICTURES")) continue;
        for (QAction* a : window.actions())
            if (a->text() == QCoreApplication::translate("nk::MainWindow", action)) a->trigger();
        settle(window);
        for (int wait = 0; wait < 50 && window.findChild<QDialog*>(name) == nullptr; ++wait) {
            QThread::msleep(20);
            settle(window);
        }
        for (QDialog* d : window.findChildren<QDialog*>(name)) {
            if (d->grab().save(folder + "/" + name + ".png")) ++written;
            d->reject();
        }
        settle(window);
    }
    choose("flash-pack-rate-10c.csv");
    for (QAction* a : window.actions())
        if (a->text() == QCoreApplication::translate("nk::MainWindow", "Instruments and chargers…"))
            a->trigger();
    settle(window);
    if (auto* things = window.findChild<QDialog*>("things")) {
        if (things->grab().save(folder + "/instruments.png")) ++written;
        things->reject();
    }
    for (QAction* a : window.actions())
        if (a->text() ==
            QCoreApplication::translate("nk::MainWindow", "Readings pad for this battery…"))
            a->trigger();
    settle(window);
    if (auto* pad = window.findChild<QDialog*>("pad")) {
        pad->findChild<QLineEdit*>("padLine")->setText("1.84 Ah 13.6 Wh 1:47 3.72 V 24 °C");
        settle(window);
        if (pad->grab().save(folder + "/readings-pad.png")) ++written;
        pad->reject();
        settle(window);
    }
    {
        PreferencesDialog card(window.preferences());
        card.show();
        settle(window);
        if (card.grab().save(folder + "/preferences.png")) ++written;
    }
    choose("mount-pack-b-weak-cell.csv");
    window.findChild<QPushButton*>("picture-4")->click();
    window.setTheme(ThemeChoice::NightBench);
    shot("strength-cells-night");
    window.setTheme(ThemeChoice::Paper);
    // Two years side by side, dQ/dV, and the matching bench with made-up modules.
    choose("mount-pack-a-test-2026-08.csv");
    window.setStation(3);
    settle(window);
    auto* side = window.findChild<SideStation*>();
    shot("side");
    window.setStation(4);
    shot("habits");
    window.setTheme(ThemeChoice::NightBench);
    choose("mount-pack-b-weak-cell.csv");
    shot("habits-night");
    window.setTheme(ThemeChoice::Paper);
    choose("dew-heater-full-cycle.csv");
    window.setStation(5);
    window.findChild<QComboBox*>("planCharger")->setCurrentIndex(1);
    shot("plan");
    if (qEnvironmentVariableIsSet("NK_ALL_PICTURES")) {
        auto* plan = window.findChild<PlanStation*>();
        plan->setAsked(PlanStation::Asked::WhatIf);
        shot("what-if");
        choose("radio-module-7-cycle-4.csv");
        shot("what-if-nickel");
        plan->setAsked(PlanStation::Asked::Charge);
        shot("plan-nickel");
        choose("dew-heater-full-cycle.csv");
        window.showBattery(window.session().entryOf(window.shown()->id)->batteryId);
        settle(window);
        window.findChild<QPushButton*>("history-3")->click();
        shot("battery-model");
        window.findChild<QPushButton*>("history-0")->click();
        window.setStation(5);
    }
    // The observatory's radio modules on two chargers.
    {
        QFile table(temporary.filePath("radio modules.csv"));
        if (table.open(QIODevice::WriteOnly)) {
            QByteArray rows = "name,chemistry,series,rated_ah,capacity_ah,charge_a,discharge_a\n";
            for (int k = 1; k <= 8; ++k)
                rows +=
                    QString("radio %1,nimh,8,2.0,%2,1.0,0.4\n").arg(k).arg(1.6 + 0.05 * k).toUtf8();
            table.write(rows);
            table.close();
            dialogs.file = table.fileName();
            auto* plan = window.findChild<PlanStation*>();
            plan->openModules();
            plan->findChild<QSpinBox*>("planCycles")->setValue(1);
            shot("plan-queue");
            plan->setAsked(PlanStation::Asked::Charge);
        }
    }
    {
        // Two channels alive, six minutes of theirs into it.
        window.setStation(6);
        auto* bench = window.findChild<BenchStation*>();
        bench->watchSimulated(60, 2, {"-dv:5mV"});
        QElapsedTimer played;
        played.start();
        constexpr int kPlayed_ms = 6500;
        while (played.elapsed() < kPlayed_ms)
            QCoreApplication::processEvents(QEventLoop::AllEvents, 20);
        shot("bench");
        if (qEnvironmentVariableIsSet("NK_ALL_PICTURES")) {
            window.setTheme(ThemeChoice::NightBench);
            bench->setLarge(true);
            shot("bench-large-night");
            bench->setLarge(false);
            window.setTheme(ThemeChoice::Paper);
        }
        bench->keepNow();
        settle(window);
    }
    choose("mount-pack-a-test-2026-08.csv");
    window.setStation(3);
    if (qEnvironmentVariableIsSet("NK_ALL_PICTURES")) {
        window.setTheme(ThemeChoice::NightBench);
        choose("flash-pack-rate-1c.csv");
        side->choosePreset(SidePreset::Siblings);
        shot("side-siblings");
        choose("mount-pack-a-test-2026-08.csv");
        std::vector<std::int64_t> all;
        for (const RecordingEntry& e : window.session().recordings())
            if (e.fileName.starts_with("mount-pack-a-test")) all.push_back(e.id);
        side->layLogs(all);
        shot("side-night");
        window.setTheme(ThemeChoice::Paper);
        side->setLane(SideLane::Incremental);
        shot("side-dqdv");
        side->setLane(SideLane::Voltage);
        choose("flash-pack-pulses.csv");
        if (const ShownPtr shown = window.session().shown()) {
            std::vector<SideItem> steps;
            for (const Step& s : shown->analysis.steps.list)
                if (s.isActive() && steps.size() < 4)
                    steps.push_back({shown->id, 0.5 * (s.start_s + s.end_s)});
            side->lay(steps);
            side->setAxis(OverlayAxis::Time);
            shot("side-steps");
            (void)side->writeSideSheet(folder + "/side-sheet.pdf");
            side->chooseLogs();
            settle(window);
            for (QDialog* d : window.findChildren<QDialog*>("sideChoose")) {
                d->grab().save(folder + "/side-choose.png");
                d->reject();
            }
        }
    }
    side->openBench();
    window.findChild<MatchingBench*>()->showExample();
    settle(window);
    shot("matching");
    if (qEnvironmentVariableIsSet("NK_ALL_PICTURES")) {
        window.setTheme(ThemeChoice::NightBench);
        shot("matching-night");
        window.setTheme(ThemeChoice::Paper);
        const QSize large = window.size();
        window.resize(1024, 700);
        window.findChild<QPushButton*>("benchBack")->click();
        shot("side-small");
        window.resize(large);
    }
    window.setStation(0);
    const QSize usual = window.size();
    window.resize(1024, 700);
    choose("flash-pack-pulses.csv");
    shot("curve-small");
    if (qEnvironmentVariableIsSet("NK_ALL_PICTURES")) {
        window.setStation(1);
        choose("dew-heater-never-stops.csv");
        shot("finish-small");
        window.setTheme(ThemeChoice::NightBench);
        shot("finish-small-night");
        {
            PreferencesDialog night(window.preferences());
            night.show();
            settle(window);
            night.grab().save(folder + "/preferences-night.png");
        }
        window.setStation(2);
        choose("dew-heater-cold-night.csv");
        shot("strength-small-night");
        window.setTheme(ThemeChoice::Paper);
        shot("strength-small");
        window.setStation(0);
    }
    window.resize(usual);
    // A log with German words and a decimal comma: the preview of how it was read.
    QFile log(temporary.filePath("garden-battery.csv"));
    if (log.open(QIODevice::WriteOnly)) {
        QByteArray text = "Zeit;Spannung (V);Strom (mA);Temperatur (°C)\n";
        for (int k = 0; k < 700; ++k) {
            const int on = k > 60 && k < 560 ? -850 : 0;
            const QString row = QString("%1:%2:00;%3;%4;%5\n")
                                    .arg(k / 60)
                                    .arg(k % 60, 2, 10, QChar('0'))
                                    .arg(13.2 - 0.0012 * k + 0.0001 * on, 0, 'f', 3)
                                    .arg(on)
                                    .arg(18.5 + 0.004 * k, 0, 'f', 1);
            text += row.toUtf8().replace('.', ',');
        }
        log.write(text);
        log.close();
        window.openFiles({log.fileName()});
        settle(window);
        if (auto* card = window.findChild<BatteryCard*>()) {
            card->findChild<QPushButton*>("reading")->click();
            card->findChild<QLineEdit*>("name")->setText("Garden battery");
            settle(window);
            if (card->grab().save(folder + "/preview.png")) ++written;
            card->reject();
        }
    }
    // The same book in German.
    QSettings().setValue("language", "de");
    QSettings().setValue("decimalSign", static_cast<int>(DecimalSign::Comma));
    if (auto again = BenchBook::open(window.book().path())) {
        MainWindow german(std::move(*again), dialogs);
        german.resize(1280, 800);
        german.show();
        const auto list = german.book().recordings();
        for (const RecordingEntry& e : list.value_or(std::vector<RecordingEntry>()))
            if (e.fileName == "dew-heater-full-cycle.csv") german.chooseRecording(e.id);
        settle(german);
        if (german.grab().save(folder + "/curve-german.png")) ++written;
    }
    QTextStream(stdout) << written << " pictures in " << folder << Qt::endl;
    return written > 0 ? 0 : 1;
}

}  // namespace nk
