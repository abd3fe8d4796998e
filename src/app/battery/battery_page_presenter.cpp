#include "app/battery/battery_page_presenter.h"

#include <QDateTime>
#include <QLocale>
#include <QObject>
#include <algorithm>
#include <cmath>

#include "history/rules.h"
#include "quantity/format.h"
#include "quantity/phrase.h"
#include "report/words.h"

namespace nk {

namespace {

QString qs(const std::string& s) {
    return QString::fromStdString(s);
}

QString conditionsOf(const HistoryPoint& p) {
    const ReadingConditions& c = p.reading.conditions;
    QStringList out;
    if (p.byHand() && std::isfinite(c.mean_A)) out << qs(shortValue(c.mean_A, "A"));
    if (std::isfinite(c.cRate)) out << qs(phrase("{:.2g}C", c.cRate));
    if (std::isfinite(c.fromLevel) && c.fromLevel < 0.95)
        out << QObject::tr("from %1 %").arg(qRound(100 * c.fromLevel));
    if (std::isfinite(c.floor_V_per_cell))
        out << QObject::tr("to %1").arg(qs(shortValue(c.floor_V_per_cell, "V")));
    if (std::isfinite(c.soc)) out << QObject::tr("%1 % charged").arg(qRound(100 * c.soc));
    if (std::isfinite(c.temperature_C)) out << qs(shortValue(c.temperature_C, "C"));
    if (c.beganFull)
        out << (*c.beganFull ? QObject::tr("from full") : QObject::tr("not from full"));
    return out.join(", ");
}

HistoryDot dotOf(const HistoryPoint& p) {
    const StoredReading& r = p.reading;
    return {p.at_s,
            p.efc,
            r.value,
            r.low,
            r.high,
            p.comparable,
            r.recordingId,
            {r.from_s, r.to_s, r.step},
            qs(valueText(r.value, (r.high - r.value) / 2, r.unit).joined())};
}

QString dayOf(double epoch_s) {
    return QLocale().toString(QDateTime::fromSecsSinceEpoch(static_cast<qint64>(epoch_s)).date(),
                              "d MMM yyyy");
}

QString aboutOf(const BatteryPageData& d) {
    QStringList out;
    const BatteryLife& l = d.life;
    if (!d.whole.empty())
        out << (l.position > 0 ? QObject::tr("position %1 in %2").arg(l.position).arg(qs(d.whole))
                               : QObject::tr("part of %1").arg(qs(d.whole)));
    if (!l.serial.empty()) out << QObject::tr("serial number %1").arg(qs(l.serial));
    if (!l.usedIn.empty())
        out << (std::isfinite(l.inUseSince_s)
                    ? QObject::tr("used in %1 since %2").arg(qs(l.usedIn), dayOf(l.inUseSince_s))
                    : QObject::tr("used in %1").arg(qs(l.usedIn)));
    else if (std::isfinite(l.inUseSince_s))
        out << QObject::tr("in use since %1").arg(dayOf(l.inUseSince_s));
    if (std::isfinite(l.bought_s)) out << QObject::tr("bought %1").arg(dayOf(l.bought_s));
    if (l.retired()) out << QObject::tr("in the drawer since %1").arg(dayOf(l.retired_s));
    for (const std::string& t : l.tags) out << qs(t);
    QString words = out.join(" · ");
    if (!words.isEmpty()) words[0] = words[0].toUpper();
    if (std::isfinite(l.worth)) {
        const double latest = d.verdict.yardsticks.latest;
        const double label = d.verdict.yardsticks.label;
        const QString unit = qs(l.worthUnit);
        const auto figure = [&](double x) {
            return QLocale().toString(x, 'g', 3) + QChar(0x00a0) + unit;
        };
        words += words.isEmpty() ? "" : "\n";
        words += latest > 0 && label > 0
                     ? QObject::tr("A full charge is worth about %1 now, of %2 by its label.")
                           .arg(figure(l.worth * std::min(1.2, latest / label)), figure(l.worth))
                     : QObject::tr("A full charge is worth %1.").arg(figure(l.worth));
    }
    if (!l.notes.empty()) {
        // A page, not a book: the whole stands where it is written ("More…").
        constexpr qsizetype kMost = 240;
        const QString notes = qs(l.notes);
        words += (words.isEmpty() ? "" : "\n") +
                 (notes.size() > kMost ? notes.left(kMost).trimmed() + "…" : notes);
    }
    return words;
}

/// The newest pair of rested voltages that tells.
QString shelfLossOf(const BatteryPageData& d) {
    if (d.selfDischarges.empty()) return {};
    const SelfDischarge& s = d.selfDischarges.back();
    const QString days = QLocale().toString((s.to_s - s.from_s) / 86400, 'f', 0);
    if (s.fall_V_per_cell <= 2 * s.uncertainty_V)
        return QObject::tr(
                   "Lying for %1 days its voltage did not fall by more than the meters can "
                   "tell.")
            .arg(days);
    const QString fall =
        QLocale().toString(1000 * s.fall_V_per_cell, 'f', 0) + QChar(0x00a0) + "mV";
    if (!std::isfinite(s.lowPercent))
        return QObject::tr(
                   "Lying for %1 days it fell by %2 a cell; how much charge that is, its flat "
                   "curve does not tell.")
            .arg(days, fall);
    return QObject::tr("Lying for %1 days it fell by %2 a cell: it loses %3 to %4 % in a month.")
        .arg(days, fall, QLocale().toString(std::max(0.0, s.lowPercent), 'f', 1),
             QLocale().toString(std::max(0.0, s.highPercent), 'f', 1));
}

}  // namespace

Expected<BatteryPageData> readBatteryPage(BenchBook& book, std::int64_t batteryId, double now_s) {
    BatteryPageData out;
    auto history = batteryHistory(book, batteryId);
    if (!history) return tl::unexpected<Error>(history.error());
    auto standing = standingOf(book, *history);
    if (!standing) return tl::unexpected<Error>(standing.error());
    auto verdict = judgeBattery(book, *history, *standing);
    if (!verdict) return tl::unexpected<Error>(verdict.error());
    out.now_s = now_s;
    const auto recordings = book.recordings();
    const auto batteries = book.batteries();
    const auto lives = book.lives();
    if (!recordings) return tl::unexpected<Error>(recordings.error());
    if (!batteries) return tl::unexpected<Error>(batteries.error());
    if (!lives) return tl::unexpected<Error>(lives.error());
    out.selfDischarges = selfDischarge(*history, *recordings);
    if (const auto life = lives->find(batteryId); life != lives->end()) out.life = life->second;
    for (const BatteryEntry& e : *batteries) {
        if (e.id == out.life.partOf) out.whole = e.battery.name;
        const auto life = lives->find(e.id);
        if (life != lives->end() && life->second.partOf == batteryId) out.parts.push_back(e);
    }
    std::ranges::stable_sort(out.parts, {},
                             [&](const BatteryEntry& e) { return lives->at(e.id).position; });
    if (now_s > 0) {
        const auto rules = dueRules(book);
        if (!rules) return tl::unexpected<Error>(rules.error());
        const auto due = dueTasks(book, now_s, *rules);
        if (!due) return tl::unexpected<Error>(due.error());
        for (const DueTask& t : *due)
            if (t.batteryId == batteryId) out.due.push_back(t);
    }
    if (!out.life.photo.empty())
        if (auto photo = book.photo(out.life.photo)) out.photo = std::move(*photo);
    out.standing = std::move(*standing);
    out.history = std::move(*history);
    out.verdict = std::move(*verdict);
    return out;
}

BatteryPageView batteryPageView(const BatteryPageData& data) {
    BatteryPageView out;
    const BatteryHistory& h = data.history;
    out.name = qs(h.battery.battery.name);
    out.kind = qs(batteryWords(h.battery.battery));
    out.verdict = qs(verdictWords(data.verdict.verdict));
    out.next = qs(data.verdict.logNext);
    if (!data.verdict.change.empty()) out.change = qs(unitsKept(data.verdict.change));
    if (!data.standing.daysUnknown.empty())
        out.noDays = data.standing.daysUnknown.size() == 1
                         ? QObject::tr(
                               "One log stands apart: nobody has said of which day it is. "
                               "Its menu on the shelf takes the day.")
                         : QObject::tr(
                               "%1 logs stand apart: nobody has said of which day they "
                               "are. Their menus on the shelf take the days.")
                               .arg(data.standing.daysUnknown.size());
    out.undated = data.standing.daysUnknown;
    out.about = aboutOf(data);
    out.shelfLoss = shelfLossOf(data);
    out.photo = QByteArray::fromStdString(data.photo);
    if (!data.life.outOfUse.empty())
        out.outOfUse = QObject::tr("HAZARD: out of use (%1). Do not charge or test it.")
                           .arg(qs(data.life.outOfUse));
    for (const BatteryEntry& e : data.parts) out.parts.emplace_back(qs(e.battery.name), e.id);
    for (const DueTask& t : data.due)
        if (t.overdue(data.now_s))
            out.due.emplace_back(QObject::tr("Due: %1 %2").arg(qs(t.text), qs(t.reason)), t);
    for (const VerdictReason& r : data.verdict.reasons)
        out.reasons.push_back({qs(unitsKept(r.text)), r.recording});
    out.label_Ah = data.verdict.yardsticks.label;
    out.first_Ah = data.verdict.yardsticks.ownFirst;
    out.siblings_Ah = data.verdict.yardsticks.siblingsMedian;
    out.holds_Ah = data.verdict.yardsticks.latest;
    for (const HistoryPoint& p : h.points) {
        const StoredReading& r = p.reading;
        const bool day = p.dayKnown();
        if (day && r.name == "delivered_capacity") out.capacities.push_back(dotOf(p));
        if (day && r.name.starts_with("resistance_") && (r.quoted || p.byHand()))
            out.resistances.push_back(dotOf(p));
        if (day && r.name == "max_temperature") out.temperatures.push_back(dotOf(p));
        const Metric* m = findMetric(r.name);
        HistoryRow row;
        row.at_s = day ? p.at_s : -1e18;
        row.number = r.value;
        row.day = day ? dayOf(p.at_s) : QObject::tr("no day");
        row.reading = m != nullptr                     ? qs(phrase(m->title))
                      : r.name == "loaded_voltage"     ? QObject::tr("Voltage under load")
                      : r.name == "resistance_other"   ? QObject::tr("Resistance, another way")
                      : r.name == "resistance_charger" ? QObject::tr("Resistance, by the charger")
                      : r.name == "resistance_ac_1khz" ? QObject::tr("Resistance at 1 kHz")
                                                       : qs(r.name).replace('_', ' ');
        row.value = qs(valueText(r.value, (r.high - r.value) / 2, r.unit).joined());
        row.conditions = conditionsOf(p);
        row.standing = p.byHand() ? QObject::tr("by hand") : qs(p.title);
        row.recording = r.recordingId;
        row.spot = p.spot;
        // A number of a cell, a count.
        if (r.unit.empty() && r.value == std::round(r.value) && std::abs(r.value) < 1e6)
            row.value = QLocale().toString(r.value, 'f', 0);
        if (r.name == "skin") {
            row.reading = QObject::tr("A look at its skin");
            row.value = r.value >= 2   ? QObject::tr("hazard")
                        : r.value >= 1 ? QObject::tr("to be watched")
                                       : QObject::tr("fine");
        }
        row.evidence = {r.from_s, r.to_s, r.step};
        out.rows.push_back(std::move(row));
    }
    std::ranges::reverse(out.rows);
    QStringList left;
    for (const std::string& l : h.leftOut) left << qs(l);
    out.leftOut = left.join("\n");
    return out;
}

}  // namespace nk
