#include "app/shell/hand_out.h"

#include <QApplication>
#include <QClipboard>
#include <QDate>
#include <QFileInfo>
#include <QPrintDialog>
#include <QPrinter>

#include "app/session/book_work.h"
#include "app/session/text.h"
#include "app/shell/data_export.h"
#include "app/shell/sheet_export.h"
#include "app/shell/station.h"

namespace nk {

namespace {

QString today() {
    return QLocale().toString(QDate::currentDate(), "d MMMM yyyy");
}

}  // namespace

HandOut::HandOut(Session& session, Dialogs& dialogs, QWidget* window)
    : QObject(window), session_(session), dialogs_(dialogs), window_(window) {}

void HandOut::write(const QString& target, std::function<Expected<void>()> work,
                    const QString& words) {
    session_.run(
        tr("Writing %1").arg(QFileInfo(target).fileName()),
        [work = std::move(work)](std::stop_token, const Job::ProgressSink&) { return work(); },
        [this, words](Expected<void> done) {
            session_.say(done ? words : text(done.error()), !done);
        });
}

void HandOut::saveSheet() {
    const ShownPtr shown = session_.shown();
    if (!shown) return;
    const QString target = dialogs_.saveAs(window_, tr("Save the bench sheet"),
                                           tr("bench sheet.pdf"), tr("PDF (*.pdf);;HTML (*.html)"));
    if (target.isEmpty()) return;
    const auto battery = QString::fromStdString(session_.batteryOf(shown->batteryId).name);
    write(
        target,
        [target, shown, battery, day = today()] {
            return writeSheet(target, *shown, battery, day);
        },
        tr("The bench sheet is in %1.").arg(target));
}

void HandOut::saveBatterySheet() {
    const ShownPtr shown = session_.shown();
    if (!shown) return;
    if (shown->batteryId == 0) {
        session_.say(
            tr("This recording has no battery yet; its own bench sheet tells what is known."),
            true);
        return;
    }
    const QString name = QString::fromStdString(session_.batteryOf(shown->batteryId).name);
    const QString target = dialogs_.saveAs(window_, tr("Save the bench sheet of %1").arg(name),
                                           name + ".pdf", tr("PDF (*.pdf);;HTML (*.html)"));
    if (target.isEmpty()) return;
    BatterySheetInput in;
    in.battery = session_.batteryOf(shown->batteryId);
    for (const RecordingEntry& e : session_.recordings())
        if (e.batteryId == shown->batteryId) in.recordings.push_back(e);
    in.madeOn = today().toStdString();
    in.style = currentStyle();
    session_.run(
        tr("Studying all logs of %1").arg(name),
        [path = session_.path(), shown, target, in = std::move(in)](
            std::stop_token stop, const Job::ProgressSink& progress) mutable -> Expected<void> {
            auto study = loadStudy(path, *shown, stop, progress);
            if (!study) return tl::unexpected<Error>(study.error());
            in.readings = study->readings;
            in.spots = study->spots;
            auto book = BenchBook::open(path, false);
            if (!book) return tl::unexpected<Error>(book.error());
            auto verdict = judgeBattery(**book, shown->batteryId);
            if (!verdict) return tl::unexpected<Error>(verdict.error());
            in.verdict = std::move(*verdict);
            if (const auto lives = (*book)->lives(); lives && lives->contains(shown->batteryId))
                in.life = lives->at(shown->batteryId);
            in.study = study->study.get();
            return writeSheet(target, in);
        },
        [this, target](Expected<void> done) {
            session_.say(done ? tr("The bench sheet is in %1.").arg(target) : text(done.error()),
                         !done);
        });
}

void HandOut::printSheet() {
    if (!session_.shown()) return;
    auto* printer = new QPrinter(QPrinter::HighResolution);
    auto* dialog = new QPrintDialog(printer, window_);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, &QDialog::accepted, this, [this, printer] {
        if (const ShownPtr shown = session_.shown())
            nk::printSheet(*printer, *shown,
                           QString::fromStdString(session_.batteryOf(shown->batteryId).name),
                           today());
    });
    connect(dialog, &QObject::destroyed, this, [printer] { delete printer; });
    dialog->open();
}

void HandOut::exportPicture(Station& station) {
    if (!session_.shown()) return;
    const QString target = dialogs_.saveAs(window_, tr("Export the curve"), tr("curve.svg"),
                                           tr("SVG (*.svg);;PDF (*.pdf);;PNG (*.png)"));
    if (target.isEmpty()) return;
    const auto done = station.writePicture(target);
    session_.say(done ? tr("The curve is in %1.").arg(target) : text(done.error()), !done);
}

void HandOut::exportData() {
    const ShownPtr shown = session_.shown();
    if (!shown) return;
    const QString target = dialogs_.saveAs(
        window_, tr("Export the data"), tr("log.samples.csv"),
        tr("Samples (*.samples.csv *.samples.json);;Steps (*.steps.csv *.steps.json);;"
           "Readings (*.readings.csv *.readings.json)"));
    if (target.isEmpty()) return;
    write(
        target, [target, shown] { return writeData(target, *shown); },
        tr("The data are in %1.").arg(target));
}

void HandOut::copySteps() {
    if (const ShownPtr shown = session_.shown())
        QApplication::clipboard()->setText(stepsTable(*shown));
}

}  // namespace nk
