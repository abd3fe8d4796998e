#include "app/plan/bench_card.h"

#include <QObject>
#include <cmath>

#include "quantity/format.h"
#include "quantity/phrase.h"
#include "report/plan_json.h"

namespace nk {

namespace {

QString say(const std::string& words) {
    return QString::fromStdString(words);
}

QStringList list(const std::vector<std::string>& all) {
    QStringList out;
    for (const std::string& t : all) out << say(t);
    return out;
}

QString span(const TimeRange& t) {
    const QString likely = say(durationText(t[1], t[2]));
    if (t[2] - t[0] < 60) return likely;
    return QObject::tr("%1 (%2 to %3)")
        .arg(likely, say(durationText(t[0], t[2])), say(durationText(t[2])));
}

QString clock(double at_s) {
    return say(localTime(at_s).substr(5)).replace('T', ' ');
}

}  // namespace

BenchCard benchCard(const ChargePlan& p, const QString& battery) {
    BenchCard out;
    out.title = QObject::tr("Charge %1").arg(battery);
    out.lead = (p.timeFrom == "own_model" ? QObject::tr("By its own model it takes %1.")
                : p.timeFrom == "logged"  ? QObject::tr("By its logged charges it takes %1.")
                                          : QObject::tr("By usual figures it takes %1."))
                   .arg(span(p.time_s));
    if (std::isfinite(p.knee_s))
        out.lead +=
            " " + QObject::tr("The knee comes after about %1.").arg(say(durationText(p.knee_s)));
    out.marked = p.beyondUsual;
    const auto row = [&](const QString& name, const QString& value, const char* reason) {
        const auto it = p.reasons.find(reason);
        out.rows.push_back({name, value, it == p.reasons.end() ? QString() : say(it->second)});
    };
    const Chemistry& c = **findChemistry(p.chemistry);
    out.rows.push_back({QObject::tr("Program"), say(c.name()), {}});
    out.rows.push_back({QObject::tr("Cells in series"), QString::number(p.cells), {}});
    row(QObject::tr("Current"), say(shortValue(p.current_A, "A")), "current_A");
    if (std::abs(p.effectiveCurrent_A - p.current_A) > 1e-9)
        row(QObject::tr("Really flows"), say(shortValue(p.effectiveCurrent_A, "A")),
            "effective_current_A");
    if (std::isfinite(p.set_V))
        row(QObject::tr("Set voltage"), say(phrase("{:.2f} V", p.set_V)), "set_V");
    if (std::isfinite(p.cutoff_A))
        row(QObject::tr("Cut-off"), say(shortValue(p.cutoff_A, "A")), "cutoff_A");
    if (std::isfinite(p.peakDrop_mV))
        row(QObject::tr("Peak"), say(phrase("{:.0f} mV a cell", p.peakDrop_mV)),
            "peak_drop_mV_per_cell");
    row(QObject::tr("Warmest"), say(shortValue(p.temperatureEnd_C, "C")), "temperature_cutoff_C");
    if (std::isfinite(p.rise_Cmin))
        row(QObject::tr("Warming"), say(phrase("{:.0f} °C a minute", p.rise_Cmin)),
            "rise_C_per_min");
    row(QObject::tr("Timer"), say(phrase("{:.0f} min", p.timer_min)), "timer_min");
    row(QObject::tr("Capacity limit"), say(phrase("{:.0f} mAh", p.capacityLimit_mAh)),
        "capacity_limit_mAh");
    row(QObject::tr("Supply"), say(shortValue(p.supply_W, "W")), "supply_W");
    for (const char* more : {"time_s", "fills", "life"})
        if (const auto it = p.reasons.find(more); it != p.reasons.end())
            out.reasons << say(it->second);
    out.preflight = list(p.preflight);
    out.cautions = list(p.cautions);
    return out;
}

BenchCard benchCard(const Program& p, const QString& battery) {
    BenchCard out;
    out.title = p.name == "breakin"       ? QObject::tr("Break in %1").arg(battery)
                : p.name == "recondition" ? QObject::tr("Bring %1 back to life").arg(battery)
                : p.name == "log"         ? QObject::tr("Log the capacity of %1").arg(battery)
                : p.name == "storage"     ? QObject::tr("Put %1 away").arg(battery)
                                          : QObject::tr("%1 ready in time").arg(battery);
    if (!p.steps.empty()) out.lead = QObject::tr("In all %1.").arg(span(p.time_s()));
    int number = 0;
    for (const PlannedStep& s : p.steps) {
        const QString what = s.what == "charge"      ? QObject::tr("Charge")
                             : s.what == "discharge" ? QObject::tr("Discharge")
                                                     : QObject::tr("Rest");
        QString value = std::isfinite(s.current_A) ? say(shortValue(s.current_A, "A")) : QString();
        QString why = QObject::tr("until %1; %2").arg(say(s.until), span(s.time_s));
        if (std::isfinite(s.start_s))
            why = QObject::tr("plug in %1, done %2; ").arg(clock(s.start_s), clock(s.end_s)) + why;
        if (!s.why.empty()) why += " (" + say(s.why) + ")";
        out.rows.push_back({QString("%1  %2").arg(++number).arg(what), value, why});
    }
    out.reasons = list(p.reasons);
    out.reasons += list(p.stopRules);
    out.preflight = list(p.preflight);
    out.cautions = list(p.cautions);
    return out;
}

BenchCard benchCard(const JoinAnswer& a) {
    BenchCard out;
    out.title = QObject::tr("Join in parallel");
    out.lead = a.allowed ? QObject::tr("They may be joined.")
                         : QObject::tr("They must not be joined as they are.");
    for (const JoinCurrent& i : a.currents)
        out.rows.push_back(
            {say(i.pack), say(phrase("{:+.1f} A", i.first_A)),
             say(phrase("at first; {:+.1f} A with long leads to {:+.1f} A, {:+.1f} A after a "
                        "minute; {:.0f} % of a charge afterwards",
                        i.firstLow_A, i.firstHigh_A, i.after60_A, 100 * i.share))});
    if (std::isfinite(a.greatestGap_V))
        out.rows.push_back({QObject::tr("May differ by"), say(phrase("{:.3f} V", a.greatestGap_V)),
                            QObject::tr("at most, measured at rest")});
    if (a.allowed && std::isfinite(a.together_A))
        out.rows.push_back({QObject::tr("Charged together"), say(shortValue(a.together_A, "A")),
                            QObject::tr("at most, once they have settled")});
    if (!a.instead.empty()) out.lead += " " + QObject::tr("Instead: %1").arg(say(a.instead));
    if (a.allowed && std::isfinite(a.common_V))
        out.rows.push_back({QObject::tr("They meet at"), say(phrase("{:.2f} V", a.common_V)),
                            say(phrase("{:.2f} Ah move until then", a.chargeMoved_Ah))});
    out.reasons = list(a.reasons);
    out.cautions = list(a.cautions);
    return out;
}

BenchCard benchCard(const QueuePlan& p, const QueueWish& wish) {
    BenchCard out;
    out.title =
        QObject::tr("%1 modules, %2 chargers").arg(wish.modules.size()).arg(wish.chargers.size());
    out.lead = QObject::tr("Done %1 after %2; at the least %3. %4 visits.")
                   .arg(clock(p.finish_s), say(durationText(3600 * p.makespan_h())),
                        say(durationText(3600 * p.lowerBound_h)))
                   .arg(p.visits);
    for (const QueueStep& s : p.steps) {
        if (s.what == "rest") continue;
        out.rows.push_back(
            {clock(s.start_s), say(wish.modules[s.module].name),
             QObject::tr("into %1, channel %2: %3 until %4")
                 .arg(say(wish.chargers[static_cast<std::size_t>(s.charger)].name))
                 .arg(s.channel)
                 .arg(s.what == "charge" ? QObject::tr("charge") : QObject::tr("discharge"),
                      clock(s.end_s))});
    }
    out.reasons = list(p.notes);
    out.cautions << QObject::tr("Never leave charging unattended.");
    return out;
}

QString benchCardHtml(const BenchCard& card, const QString& day) {
    QString out = "<html><body style=\"font-family:'Inter'\"><h2>" + card.title.toHtmlEscaped() +
                  "</h2><p>" + card.lead.toHtmlEscaped() + "</p><table cellpadding=\"3\">";
    for (const BenchCard::Row& r : card.rows)
        out += "<tr><td>" + r.name.toHtmlEscaped() + "</td><td><b>" + r.value.toHtmlEscaped() +
               "</b></td><td>" + r.reason.toHtmlEscaped() + "</td></tr>";
    out += "</table>";
    const auto part = [&](const QString& title, const QStringList& all, const QString& mark) {
        if (all.isEmpty()) return;
        out += "<h3>" + title.toHtmlEscaped() + "</h3><p>";
        for (const QString& t : all) out += mark + t.toHtmlEscaped() + "<br>";
        out += "</p>";
    };
    part(QObject::tr("Before the start"), card.preflight, "☐ ");
    part(QObject::tr("Why"), card.reasons, "");
    part(QObject::tr("Cautions"), card.cautions, "");
    return out + "<p>" + day.toHtmlEscaped() + "</p></body></html>";
}

}  // namespace nk
