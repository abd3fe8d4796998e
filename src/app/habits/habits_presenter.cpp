#include "app/habits/habits_presenter.h"

#include <QObject>
#include <algorithm>
#include <cmath>

#include "app/habits/end_chooser.h"
#include "history/habit_file.h"
#include "quantity/iso_time.h"
#include "quantity/phrase.h"

namespace nk {

namespace {
QString tr(const char* text) {
    return QObject::tr(text);
}
QString say(const std::string& words) {
    return QString::fromStdString(words);
}
QString day(const FadeReport& report, double d) {
    return report.table.dated && std::isfinite(d) ? say(isoTime(d * 86400).substr(0, 10))
                                                  : QString();
}
}  // namespace

QString yearsWords(double years) {
    if (years > kFarYears) return tr("over %1").arg(kFarYears);
    return say(phrase("{:.1f}", years));
}

QString schoolName(School school) {
    switch (school) {
        case School::Table:
            return tr("table of practice");
        case School::Nmc:
            return tr("NMC law of 2014");
        case School::Lmo:
            return tr("LMO law of 2018");
        case School::Lfp:
            return tr("LFP law of 2011");
    }
    return {};
}

FadePicture fadePicture(const FadeReport& report) {
    FadePicture out;
    const FadeModel& model = report.result.model;
    if (model.empty()) return out;
    const auto& s = report.used.series;
    std::vector<char> aside(s.at.size(), 0);
    for (const std::size_t k : report.result.odd) aside[k] = 1;
    for (const std::size_t k : report.result.ranIn) aside[k] = 1;
    for (std::size_t k = 0; k < s.at.size(); ++k) {
        (aside[k] ? out.oddAt : out.at).push_back(s.at[k]);
        (aside[k] ? out.oddValue : out.value).push_back(s.value[k]);
    }
    out.crossing = report.result.end;
    out.knee = report.result.knee;
    out.end = std::isfinite(report.end.absolute) ? report.end.absolute
                                                 : report.end.fraction * report.result.initial;
    const double span = model.last - model.first;
    double to = model.last + 0.15 * span;
    if (std::isfinite(out.crossing.high))
        to = std::max(to, out.crossing.high + 0.05 * span);
    else if (std::isfinite(out.crossing.middle))
        to = std::max(to, out.crossing.middle + 0.2 * span);
    to = std::min(to, model.first + 6 * span);
    constexpr int kPoints = 121;
    for (int k = 0; k < kPoints; ++k) {
        const double x = model.first + (to - model.first) * k / (kPoints - 1);
        const FadeBand band = model.at(x);
        out.x.push_back(x);
        out.low.push_back(std::max(0.0, band.low));
        out.middle.push_back(band.middle);
        out.high.push_back(band.high);
    }
    if (std::isfinite(out.crossing.middle)) {
        out.endWords =
            report.question.against == FadeAxis::Days ? day(report, report.day.middle) : QString();
        if (out.endWords.isEmpty()) out.endWords = say(phrase("{:.0f}", out.crossing.middle));
    }
    out.unit = say(report.table.unit);
    out.axis = report.question.against == FadeAxis::Days
                   ? tr("days since the first comparable capacity")
                   : tr("equivalent full cycles");
    return out;
}

QStringList fadeWords(const BatteryHabits& habits) {
    QStringList out;
    if (!habits.fade) {
        out << (habits.whyNoFade.empty() ? tr("No fade is known yet.") : say(habits.whyNoFade));
        return out;
    }
    const FadeReport& report = *habits.fade;
    const FadeResult& r = report.result;
    const bool grows = report.question.of == FadeOf::Resistance;
    const std::string over = endWords(report.question).toStdString();
    if (!r.model.empty() && grows) {
        const FadeBand now = r.model.at(r.model.last);
        out << say(phrase("Its resistance stands at {:.0f} % of the first ({:.0f} to {:.0f} %).",
                          100 * now.middle / r.initial, 100 * now.low / r.initial,
                          100 * now.high / r.initial));
    }
    if (!r.model.empty() && !grows) {
        // What page and shelf say of today, not what a law makes of it.
        const FadeBand& now = report.today;
        const double width = (now.high - now.low) / r.initial;
        out << say(width < 0.02
                       ? phrase("{:.1f} % of its first capacity is left ({:.1f} to {:.1f} %).",
                                100 * now.middle / r.initial, 100 * now.low / r.initial,
                                100 * now.high / r.initial)
                       : phrase("{:.0f} % of its first capacity is left ({:.0f} to {:.0f} %).",
                                100 * now.middle / r.initial, 100 * now.low / r.initial,
                                100 * now.high / r.initial));
    }
    const bool byDays = report.question.against == FadeAxis::Days;
    if (std::isfinite(r.end.middle)) {
        if (!byDays)
            out << (std::isfinite(r.end.high)
                        ? say(phrase("It reaches {} at {:.0f} full cycles ({:.0f} to {:.0f}).",
                                     over, r.end.middle, r.end.low, r.end.high))
                        : say(phrase("It reaches {} at {:.0f} full cycles, {:.0f} at the "
                                     "earliest.",
                                     over, r.end.middle, r.end.low)));
        const QString d = day(report, report.day.middle);
        const QString latest = day(report, report.day.high);
        if (!d.isEmpty())
            out << (byDays ? tr("It reaches %4 on %1 (%2 to %3).")
                           : tr("At the pace so far that is %1 (%2 to %3)."))
                       .arg(d, day(report, report.day.low),
                            latest.isEmpty() ? tr("nobody can say") : latest, say(over));
    } else if (!r.caveats.empty()) {
        out << say(r.caveats.front());
    }
    if (habits.change && !grows) {
        const SlopeChange& c = *habits.change;
        const double chance = 100 * c.probability;
        const std::string odds =
            chance < 0.1 ? phrase("fewer than 1 of 1000") : phrase("{:.1f} of 100", chance);
        if (byDays)
            out << say(
                phrase(c.after < c.before
                           ? "Since {} it fades slower: {:.1f} % a year instead of {:.1f} %; "
                             "chance alone would do that in {}."
                           : "Since {} it fades faster: {:.1f} % a year instead of {:.1f} %; "
                             "chance alone would do that in {}.",
                       day(report, report.table.day.front() + c.at).toStdString(), 36525 * c.after,
                       36525 * c.before, odds));
        else
            out << say(phrase(c.after < c.before
                                  ? "Since {:.0f} full cycles it fades slower: {:.2f} % a cycle "
                                    "instead of {:.2f} %; chance alone would do that in {}."
                                  : "Since {:.0f} full cycles it fades faster: {:.2f} % a cycle "
                                    "instead of {:.2f} %; chance alone would do that in {}.",
                              c.at, 100 * c.after, 100 * c.before, odds));
    }
    if (habits.mostlyUnknown)
        out << tr(
            "Most days are in no log, so it is told over days, and how far off the laws are "
            "cannot be told.");
    for (const OwnAgainstLaw& a : habits.laws)
        out << say(
            phrase("In {:.1f} years it lost {:.0f} %; the {} says {:.0f} % for a use like "
                   "its own.",
                   a.years, 100 * a.own, schoolName(a.school).toStdString(), 100 * a.law));
    return out;
}

QStringList fadeCaveats(const BatteryHabits& habits) {
    QStringList out;
    if (habits.fade) {
        for (const std::string& c : habits.fade->caveats) out << say(c);
        for (const LawFit& law : habits.fade->result.laws)
            out << say(phrase("{}: weight {:.2f}", toString(law.law), law.weight));
    }
    return out;
}

QStringList recordWords(const BatteryHabits& habits, BetweenLogs between) {
    QStringList out;
    const Chemistry* chemistry = habits.battery.battery.chemistryData();
    if (chemistry == nullptr || habits.record.logged_h <= 0) return out;
    const HabitRecord& r = habits.record;
    out << say(phrase("{:.0f} hours are logged, {:.1f} equivalent full cycles.", r.logged_h,
                      r.equivalentFullCycles));
    for (const std::string& words : whatCostMost(r, *chemistry)) out << say(words);
    if (habits.drift) {
        const CellDrift& d = *habits.drift;
        if (d.low > 0)
            out << say(
                phrase("Its cells drift apart by {:.1f} % of the charge a month ({:.1f} to "
                       "{:.1f} %), by {} discharges.",
                       100 * d.perMonth, 100 * d.low, 100 * d.high, d.discharges));
        else
            out << say(
                phrase("{} discharges show no drift of its cells; less than {:.1f} % of the "
                       "charge a month, if any.",
                       d.discharges, 100 * std::max(0.0, d.high)));
    }
    if (!r.warmthKnown) out << tr("Its warmth was never logged: nothing is said of heat.");
    if (const std::string words = whatIsNotKnown(r, between); !words.empty()) out << say(words);
    return out;
}

HabitFigures habitFigures(const HabitAnswer& answer, const HabitBattery& battery,
                          const BatteryLife& life) {
    HabitFigures out;
    QStringList why;
    for (const SchoolAnswer& s : answer.schools) {
        HabitFigures::Mark mark{schoolName(s.school), s.years, s.yearsLow, s.yearsHigh,
                                s.extrapolated};
        out.marks.push_back(mark);
        if (std::isfinite(s.years)) {
            for (const double y : {s.years, s.yearsLow, s.yearsHigh}) {
                if (!std::isfinite(y)) continue;
                out.low = std::isfinite(out.low) ? std::min(out.low, y) : y;
                out.high = std::isfinite(out.high) ? std::max(out.high, y) : y;
            }
            QString line = tr("%1: %2 years to 80 %").arg(mark.school, yearsWords(s.years));
            if (std::isfinite(s.yearsLow) && s.yearsHigh > s.yearsLow)
                line += tr(" (%1 to %2)").arg(yearsWords(s.yearsLow), yearsWords(s.yearsHigh));
            if (std::isfinite(s.calendarShare))
                line += say(phrase(", {:.0f} % of it by time alone", 100 * s.calendarShare));
            if (s.extrapolated) line += tr(", beyond what it was fitted on");
            why << line + ".";
        } else {
            why << tr("%1 cannot say.").arg(mark.school);
        }
        for (const std::string& c : s.caveats) why << "   " + say(c);
    }
    if (!std::isfinite(out.low))
        out.years = tr("no law here can say");
    else if (out.high - out.low < 0.05 * out.high || out.low > kFarYears)
        out.years = (out.low > kFarYears ? tr("%1 years to 80 %") : tr("about %1 years to 80 %"))
                        .arg(yearsWords(out.low));
    else
        out.years = tr("%1 to %2 years to 80 %").arg(yearsWords(out.low), yearsWords(out.high));
    QString range = say(phrase("{:.0f} % of the full range a charge", 100 * answer.range));
    if (std::isfinite(life.worth))
        range += say(phrase(": {:.3g} {}", life.worth * answer.range, life.worthUnit));
    out.lines << range;
    if (!answer.schools.empty() && std::isfinite(answer.schools.front().years)) {
        // How it shrinks, by the default school.
        QStringList parts;
        for (const double years : {1.0, 3.0, 6.0}) {
            const auto left = capacityOver(answer.habit, answer, battery,
                                           answer.schools.front().school, years, 2);
            if (left.back() < 0.5) break;
            parts << say(
                phrase("{:.0f} % after {:.0f} y", 100 * answer.range * left.back(), years));
        }
        if (!parts.isEmpty()) out.lines << tr("of it %1").arg(parts.join(", "));
    }
    if (answer.left > 0.005)
        out.lines << say(
            phrase("{:.0f} % stays under the floor of what it feeds", 100 * answer.left));
    out.lines << say(phrase("{:.0f} h a week above 4.10 V a cell", answer.load.hoursAbove4V1));
    if (std::isfinite(answer.lifetimeEnergy_Wh))
        out.lines << say(
            answer.lifetimeEnergy_Wh < 1e4
                ? phrase("{:.0f} Wh delivered until then", answer.lifetimeEnergy_Wh)
                : phrase("{:.0f} kWh delivered until then", answer.lifetimeEnergy_Wh / 1000));
    out.lines << say(
        phrase("{:.0f} % of the charge is carried and never used", 100 * answer.unused));
    for (const std::string& c : answer.caveats) out.lines << say(c);
    why << say(whySchool(*battery.chemistry));
    if (answer.schools.size() > 1)
        why << tr(
            "They disagree because one counts volts and cycles of many cells, the other "
            "time, warmth and depth of one kind.");
    out.why = why.join("\n");
    return out;
}

}  // namespace nk
