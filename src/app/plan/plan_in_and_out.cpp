// What comes into the Plan station from files and goes out of it: chargers, packs, modules; cards,
// pictures and calendars; cards and rules that are kept with the battery.
#include <QBuffer>
#include <QFileInfo>
#include <QPdfWriter>
#include <QTextDocument>
#include <chrono>
#include <cmath>

#include "app/plan/card_view.h"
#include "app/plan/plan_station.h"
#include "app/plan/queue_desk.h"
#include "app/session/text.h"
#include "app/shell/data_export.h"
#include "formats/bytes.h"
#include "history/plan_files.h"
#include "report/plan_json.h"

namespace nk {

void PlanStation::keepCard() {
    const ChargeWish wish = chargeWish();
    auto plan = planCharge(wish);
    if (!plan || learnedOf_ <= 0) return;
    if (auto told = known()) plan = std::move(told->plan);
    const double now =
        std::chrono::duration<double>(std::chrono::system_clock::now().time_since_epoch()).count();
    KeptPlan kept = keptPlan(*plan, wish.battery.rated_Ah, form_->chargerName().toStdString(), now);
    if (expected_ && form_->fromSoc() >= 0) {
        kept.expected_Ah = expected_->charge_Ah;
        kept.expectedUncertainty_Ah = expected_->uncertainty_Ah;
    }
    for (const QString& t : cardView_->ticked()) kept.ticked.push_back(t.toStdString());
    for (const QString& t : cardView_->open()) kept.open.push_back(t.toStdString());
    session_.change([id = learnedOf_, kept](BenchBook& b) { return addPlan(b, id, kept); },
                    [this, id = learnedOf_, kept] {
                        if (learnedOf_ == id) known_.plans.push_back(kept);
                        drawAgainst();
                    });
    session_.say(
        tr("The card is kept with %1; the log that follows is set against it.").arg(name_));
}

void PlanStation::keepWeek() {
    if (learnedOf_ <= 0) return;
    ReadyRule rule;
    rule.days = form_->weekdays();
    rule.minute = static_cast<int>(std::fmod(form_->ready_s(), 86400) / 60);
    rule.fromSoc = form_->fromSoc();
    rule.rate_C = form_->rate_C();
    rule.present = form_->present();
    known_.ready = rule.any() ? std::optional(rule) : std::nullopt;
    session_.change(
        [key = readySetting(learnedOf_), kept = rule.any() ? keptReadyText(rule) : std::string()](
            BenchBook& b) -> Expected<void> { return b.setSetting(key, kept); });
    session_.say(rule.any()
                     ? tr("The week is kept with %1: the due list says when to plug in.").arg(name_)
                     : tr("No day is chosen: %1 has no weekly plan any more.").arg(name_));
}

void PlanStation::openChargers() {
    const QString file =
        session_.dialogs().openFile(this, tr("Chargers"), tr("Chargers (*.json);;All files (*)"));
    if (file.isEmpty()) return;
    const auto bytes = readFile(file.toStdString());
    if (!bytes) return session_.say(text(bytes.error()), true);
    auto read = readChargers(*bytes, file.toStdString());
    if (!read) return session_.say(text(read.error()), true);
    form_->setChargers(std::move(*read));
    answer();
}

void PlanStation::openModules() {
    const QString file = session_.dialogs().openFile(
        this, tr("A table of modules"), tr("Tables (*.csv *.tsv *.txt);;All files (*)"));
    if (file.isEmpty()) return;
    const auto table = readPlainTableFile(file.toStdString());
    if (!table) return session_.say(text(table.error()), true);
    auto read = readQueueModules(*table);
    if (!read) return session_.say(text(read.error()), true);
    desk_->setModules(std::move(*read));
    setAsked(Asked::Queue);
}

void PlanStation::openPacks() {
    const QString file = session_.dialogs().openFile(
        this, tr("A table of packs"), tr("Tables (*.csv *.tsv *.txt);;All files (*)"));
    if (file.isEmpty()) return;
    const auto table = readPlainTableFile(file.toStdString());
    if (!table) return session_.say(text(table.error()), true);
    auto read = readJoinPacks(*table);
    if (!read) return session_.say(text(read.error()), true);
    packs_ = std::move(*read);
    setAsked(Asked::Join);
}

void PlanStation::saveCard() {
    const QString target =
        session_.dialogs().saveAs(this, tr("Save the bench card"), tr("bench card.pdf"),
                                  tr("PDF, A6 (*.pdf);;PDF, A4 (*.pdf);;HTML (*.html)"));
    if (target.isEmpty()) return;
    QString html = benchCardHtml(card_, QLocale().toString(QDate::currentDate(), "d MMMM yyyy"));
    QByteArray bytes = html.toUtf8();
    if (target.endsWith(".pdf", Qt::CaseInsensitive)) {
        bytes.clear();
        QBuffer buffer(&bytes);
        buffer.open(QIODevice::WriteOnly);
        QPdfWriter writer(&buffer);
        const bool small = card_.rows.size() <= 12;
        writer.setPageSize(QPageSize(small ? QPageSize::A6 : QPageSize::A4));
        writer.setPageMargins(QMarginsF(8, 8, 8, 8), QPageLayout::Millimeter);
        writer.setResolution(144);
        QTextDocument document;
        QFont font(loadFonts());
        font.setPointSizeF(small ? 7 : 9);
        document.setDefaultFont(font);
        document.setHtml(html.replace("font-family:'Inter'", "font-family:'" + loadFonts() + "'"));
        document.print(&writer);
    }
    const auto done = writeWhole(target, bytes);
    session_.say(done ? tr("The bench card is in %1.").arg(target) : text(done.error()), !done);
}

void PlanStation::saveCalendar() {
    const bool queue = asked_ == Asked::Queue;
    if (queue ? !desk_->plan().has_value() : !ready_.has_value()) return;
    const QString target = session_.dialogs().saveAs(
        this, queue ? tr("Save the queue as a calendar") : tr("Save as a calendar"),
        queue ? tr("queue.ics") : tr("ready by.ics"), tr("Calendar (*.ics)"));
    if (target.isEmpty()) return;
    const double now =
        std::chrono::duration<double>(std::chrono::system_clock::now().time_since_epoch()).count();
    const std::string words =
        queue ? queueCalendar(*desk_->plan(), desk_->wish(), now)
              : programCalendar(*ready_, form_->weekdays(), name_.toStdString(), now);
    const auto done = writeWhole(target, QByteArray::fromStdString(words));
    session_.say(done ? tr("The calendar is in %1.").arg(target) : text(done.error()), !done);
}

}  // namespace nk
