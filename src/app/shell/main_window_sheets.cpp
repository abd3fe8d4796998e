// The window hands out: bench sheets as files and on paper, curves and tables.
#include <QDate>
#include <QPrintDialog>
#include <QPrinter>

#include "app/curve/curve_station.h"
#include "app/shell/data_export.h"
#include "app/shell/main_window.h"
#include "app/shell/main_window_text.h"
#include "app/shell/sheet_export.h"

namespace nk {

namespace {

QString today() {
    return QLocale().toString(QDate::currentDate(), "d MMMM yyyy");
}

}  // namespace

void MainWindow::saveSheet() {
    if (!shown_) return;
    const QString target = dialogs_.saveAs(this, tr("Save the bench sheet"), tr("bench sheet.pdf"),
                                           tr("PDF (*.pdf);;HTML (*.html)"));
    if (target.isEmpty()) return;
    const auto done = writeSheet(
        target, *shown_, QString::fromStdString(batteryOf(shown_->batteryId).name), today());
    say(done ? tr("The bench sheet is in %1.").arg(target) : text(done.error()), !done);
}

void MainWindow::saveBatterySheet() {
    if (!shown_) return;
    if (shown_->batteryId == 0) {
        say(tr("This recording has no battery yet; its own bench sheet tells what is known."),
            true);
        return;
    }
    const QString name = QString::fromStdString(batteryOf(shown_->batteryId).name);
    const QString target = dialogs_.saveAs(this, tr("Save the bench sheet of %1").arg(name),
                                           name + ".pdf", tr("PDF (*.pdf);;HTML (*.html)"));
    if (target.isEmpty()) return;
    task_->setText(tr("Studying all logs of %1").arg(name));
    work_.start(
        [path = book_->path(), shown = shown_](std::stop_token stop,
                                               const Job::ProgressSink& progress) {
            return loadStudy(path, *shown, stop, progress);
        },
        [this, target, id = shown_->batteryId](auto study) {
            if (!study) {
                say(text(study.error()), true);
                return;
            }
            BatterySheetInput in;
            in.battery = batteryOf(id);
            for (const RecordingEntry& e : recordings_)
                if (e.batteryId == id) in.recordings.push_back(e);
            in.spots = study->spots;
            in.study = study->study.get();
            in.madeOn = today().toStdString();
            in.style = currentStyle();
            const auto done = writeSheet(target, in);
            say(done ? tr("The bench sheet is in %1.").arg(target) : text(done.error()), !done);
        });
}

void MainWindow::printSheet() {
    if (!shown_) return;
    auto* printer = new QPrinter(QPrinter::HighResolution);
    auto* dialog = new QPrintDialog(printer, this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, &QDialog::accepted, this, [this, printer] {
        if (shown_)
            nk::printSheet(*printer, *shown_,
                           QString::fromStdString(batteryOf(shown_->batteryId).name), today());
    });
    connect(dialog, &QObject::destroyed, this, [printer] { delete printer; });
    dialog->open();
}

void MainWindow::exportCurve() {
    if (!shown_) return;
    const QString target = dialogs_.saveAs(this, tr("Export the curve"), tr("curve.svg"),
                                           tr("SVG (*.svg);;PDF (*.pdf);;PNG (*.png)"));
    if (target.isEmpty()) return;
    const auto done = writeCurve(target, *findChild<CurveStation*>()->plot());
    say(done ? tr("The curve is in %1.").arg(target) : text(done.error()), !done);
}

void MainWindow::exportData() {
    if (!shown_) return;
    const QString target = dialogs_.saveAs(
        this, tr("Export the data"), tr("log.samples.csv"),
        tr("Samples (*.samples.csv *.samples.json);;Steps (*.steps.csv *.steps.json);;"
           "Readings (*.readings.csv *.readings.json)"));
    if (target.isEmpty()) return;
    const auto done = writeData(target, *shown_);
    say(done ? tr("The data are in %1.").arg(target) : text(done.error()), !done);
}

}  // namespace nk
