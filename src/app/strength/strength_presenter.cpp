#include "app/strength/strength_presenter.h"

#include <QDateTime>
#include <QObject>
#include <QRegularExpression>
#include <cmath>

#include "analysis/pack/balance_plan.h"
#include "quantity/format.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

QString qs(const std::string& s) {
    return QString::fromStdString(s);
}

QString plusMinus(double value, double u, const char* unit) {
    return qs(valueText(value, u, unit).joined());
}

QString conditionsOf(const StepResistance& s) {
    QString out =
        QObject::tr("%1 to %2").arg(qs(shortValue(s.from_A, "A")), qs(shortValue(s.to_A, "A")));
    if (std::isfinite(s.soc)) out += QObject::tr(", %1 % charged").arg(qRound(100 * s.soc));
    if (std::isfinite(s.temperature_C)) out += ", " + qs(shortValue(s.temperature_C, "C"));
    return out;
}

void resistanceRows(const StrengthStudy& study, const StudiedLog& log, StrengthView& out) {
    const double cells = study.battery.cells();
    const auto add = [&](const QString& school, double r, double u, const QString& conditions) {
        out.resistances.push_back({school, plusMinus(r, u, "ohm"),
                                   cells > 1 ? qs(shortValue(r / cells, "ohm")) : QString("–"),
                                   conditions, qs(log.title)});
    };
    const bool nickel =
        study.battery.chemistryData() != nullptr && study.battery.chemistryData()->nickel();
    if (!log.standard.empty()) {
        const TwoLevel& m = log.standard.front();
        add(nickel ? QString("IEC 61951-2") : QString("IEC 61960-3"), m.resistance_ohm,
            m.uncertainty_ohm,
            QObject::tr("%1 then %2")
                .arg(qs(shortValue(m.low_A, "A")), qs(shortValue(m.high_A, "A"))));
    }
    const std::pair<double, QString> delays[] = {{0, QObject::tr("First sample")},
                                                 {1, QObject::tr("After 1 s")},
                                                 {10, QObject::tr("After 10 s")},
                                                 {30, QObject::tr("After 30 s")}};
    for (const auto& [delay, name] : delays)
        if (const StepResistance* s = mostComparable(log.steps, delay)) {
            QString school = name;
            if (delay > 0 && std::abs(s->delay_s - delay) > 0.02 * delay)
                school = QObject::tr("After %1").arg(qs(durationText(s->delay_s)));
            add(school, s->resistance_ohm, s->uncertainty_ohm, conditionsOf(*s));
        }
    for (const LoadResistance& l : log.loads)
        add(QObject::tr("Varying load"), l.resistance_ohm, l.uncertainty_ohm,
            QObject::tr("robust regression, swings of %1").arg(qs(shortValue(l.spread_A, "A"))));
}

void spotRows(const std::vector<SpotReading>& spots, double cells, StrengthView& out) {
    for (const SpotReading& s : spots) {
        if (s.kind != "resistance") continue;
        const QString school = s.method == "ac_1khz"   ? QObject::tr("1 kHz meter")
                               : s.method == "charger" ? QObject::tr("Charger's display")
                                                       : QObject::tr("By hand");
        QString conditions;
        double u = s.resolution / std::sqrt(12.0);
        if (const auto repeats = summariseRepeats(s.repeats); repeats && s.repeats.size() > 1) {
            conditions = qs(repeats->words);
            if (std::isfinite(repeats->uncertainty)) u = std::hypot(u, repeats->uncertainty);
        }
        if (std::isfinite(s.temperature_C))
            conditions += (conditions.isEmpty() ? "" : ", ") + qs(shortValue(s.temperature_C, "C"));
        out.resistances.push_back(
            {school, plusMinus(s.value, u, "ohm"),
             cells > 1 ? qs(shortValue(s.value / cells, "ohm")) : QString("–"), conditions,
             QDateTime::fromSecsSinceEpoch(static_cast<qint64>(s.atEpoch_s))
                 .toString("d MMM yyyy")});
    }
}

void ratingRows(const Rating& rating, StrengthView& out) {
    const auto name = [](const std::string& view) {
        return view == "sag"    ? QObject::tr("Sag")
               : view == "heat" ? QObject::tr("Heat")
               : view == "time" ? QObject::tr("Time")
                                : QObject::tr("Adiabatic bound");
    };
    for (const RatingView& v : rating.views) {
        RatingRow row;
        row.view = name(v.view);
        row.binds = v.view == rating.limitedBy;
        if (v.known()) {
            row.current = plusMinus(v.current_A, v.uncertainty_A, "A");
            row.rate = qs(fixed(v.c_rate, v.c_rate < 10 ? 1 : 0)) + "C";
        } else if (std::isfinite(v.atLeast_A)) {
            const double rate = v.atLeast_A / rating.rated_Ah;
            row.current = QObject::tr("at least %1").arg(qs(shortValue(v.atLeast_A, "A")));
            row.rate = qs(fixed(rate, rate < 10 ? 1 : 0)) + "C";
        } else {
            row.current = QObject::tr("not measurable");
            row.rate = QString("–");
        }
        QStringList notes;
        for (const std::string& c : v.caveats) notes << qs(c);
        row.note = (row.binds ? QObject::tr("Limits it. ") : QString()) +
                   (v.extrapolated ? QObject::tr("Extrapolated. ") : QString()) + notes.value(0);
        row.tip = notes.join("\n");
        out.rating.push_back(std::move(row));
    }
    RatingRow charge;
    charge.view = QObject::tr("Charging");
    charge.current = qs(shortValue(rating.charge_C * rating.rated_Ah, "A"));
    charge.rate = qs(fixed(rating.charge_C, 1)) + "C";
    charge.note = qs(rating.chargeBecause);
    charge.tip = QObject::tr("The maker's data sheet wins.");
    out.rating.push_back(std::move(charge));
}

/// What to charge by itself, in which order, or how long a balancer takes; empty: nothing.
QString balanceWords(const PackDischarge& d) {
    constexpr double kBalancer_A =
        0.05;  // a usual one of a small pack (common practice, no source)
    const BalancePlan plan = balancePlan(d, kBalancer_A);
    if (!plan.why.empty() || plan.bleed.empty() || plan.givesBack_Ah < 0.01 * d.capacity_Ah)
        return {};
    double longest_h = 0;
    double shortest_h = 0;
    for (const BalanceStep& s : plan.bleed)
        longest_h = std::max(longest_h, s.most_h), shortest_h = std::max(shortest_h, s.least_h);
    QString out = QObject::tr(" A balancer of 50 mA takes %1 to %2 for that.")
                      .arg(qs(durationText(3600 * shortest_h, 3600 * longest_h)),
                           qs(durationText(3600 * longest_h)));
    if (plan.single.empty()) return out;
    QStringList cells;
    for (std::size_t k = 0; k < plan.single.size() && k < 4; ++k)
        cells << QObject::tr("cell %1 by %2")
                     .arg(plan.single[k].cell)
                     .arg(plusMinus(plan.single[k].charge_Ah, plan.single[k].uncertainty_Ah, "Ah"));
    return out +
           QObject::tr(
               " Or charge alone: %1, each with a charger for one cell set to its own kind and "
               "voltage, the pack's charger off, and somebody there.")
               .arg(cells.join(", "));
}

QString cellWords(const StudiedLog* log) {
    if (log == nullptr || log->pack.empty())
        return QObject::tr(
            "This log has no cell voltages. With them, the weakest cell and the charge lost "
            "to imbalance can be told.");
    const PackDischarge& d = log->pack.front();
    if (!d.reachedFloor)
        return QObject::tr(
            "No cell reached its floor in this log. Log the discharge down to the end.");
    if (!d.told())
        return QObject::tr(
                   "Cell %1 was first at its floor. These cells' curves are too flat to tell what "
                   "the others still held.")
            .arg(d.weakest);
    QString out =
        QObject::tr("Cell %1 was first at its floor. The others still held %2 each on average.")
            .arg(d.weakest)
            .arg(plusMinus(d.lost_Ah, d.lostUncertainty_Ah, "Ah"));
    if (d.balancing_Ah > 0.3 * d.lost_Ah)
        out += QObject::tr(" Balancing would give back about %1.")
                   .arg(qs(shortValue(d.balancing_Ah, "Ah")));
    else if (d.lost_Ah > 0.03 * d.delivered_Ah)
        out += QObject::tr(" Balancing would give little back: it is the cell's capacity.");
    return out + balanceWords(d);
}

}  // namespace

StrengthView strengthView(const StrengthStudy& study, std::int64_t shown,
                          const std::vector<SpotReading>& spots) {
    StrengthView out;
    const StudiedLog* current = nullptr;
    for (const StudiedLog& log : study.logs)
        if (log.id == shown) current = &log;
    if (current != nullptr) resistanceRows(study, *current, out);
    spotRows(spots, study.battery.cells(), out);
    if (study.rating) {
        out.sentence = qs(study.rating->sentence);
        ratingRows(*study.rating, out);
        int rates = 0;
        for (const StudiedLog& log : study.logs) rates += static_cast<int>(log.curves.size());
        const auto counted = [](std::size_t n, const QString& one, const QString& many) {
            return n == 1 ? one : many.arg(n);
        };
        out.conditions =
            QObject::tr("From %1 in %2 of this battery.")
                .arg(counted(static_cast<std::size_t>(rates), QObject::tr("one discharge"),
                             QObject::tr("%1 discharges")),
                     counted(study.logs.size(), QObject::tr("one log"), QObject::tr("%1 logs")));
        if (study.battery.label_C <= 0)
            out.conditions += QObject::tr(" Write the label's C on the battery card to compare.");
    } else {
        out.sentence = qs(study.rating.error().text());
    }
    for (const std::string& left : study.leftOut)
        out.conditions +=
            (out.conditions.isEmpty() ? "" : " ") + QObject::tr("Left out: %1").arg(qs(left));
    if (study.law) {
        const TemperatureLaw& law = *study.law;
        const QString delay = study.lawDelay_s > 0 ? qs(durationText(study.lawDelay_s))
                                                   : QObject::tr("the first sample");
        out.law = QObject::tr("At %1: %2 at 25 °C")
                      .arg(delay, plusMinus(law.r25_ohm, law.r25Uncertainty_ohm, "ohm"));
        out.law +=
            law.fitted
                ? QObject::tr(
                      ", activation energy %1 kJ/mol from these logs; at 0 °C %2 times as much.")
                      .arg(qs(valueText(law.activation_J_mol / 1000,
                                        law.activationUncertainty_J_mol / 1000, "")
                                  .joined()))
                      .arg(law.resistance_ohm(0) / law.r25_ohm, 0, 'f', 1)
                : QObject::tr(
                      " by the chemistry's usual law (assumed). Log it once cold and once warm "
                      "to know its own.");
    } else {
        out.law = QObject::tr("No step of the current with a temperature in these logs.");
    }
    if (study.coldWarm) {
        out.law += QObject::tr("\n%1 against %2: ").arg(qs(study.coldTitle), qs(study.warmTitle));
        for (const std::string& w : study.coldWarm->words) out.law += qs(w) + " ";
    }
    out.openCircuit =
        study.openCircuit
            ? QObject::tr(
                  "From %1; full is %2. The usual curve of the chemistry is drawn beside it.")
                  .arg(qs(study.openCircuit->method),
                       qs(shortValue(study.openCircuit->capacity_Ah, "Ah")))
            : QObject::tr(
                  "No curve of its own yet: log two whole discharges at different rates, or a slow "
                  "one, each from full to the floor.");
    out.ownCurveInUse = !study.battery.ownCurve().empty();
    out.cells = cellWords(current);
    return out;
}

Expected<std::vector<double>> parseResistances(const QString& text, const Battery& battery) {
    const char* accepted =
        "one or more numbers with a unit, such as 61, 54, 55, 54 mΩ or 0.054 ohm.";
    const QString lower = text.trimmed().toLower();
    const bool milli = lower.contains(QString("m\u03c9")) || lower.contains(QString("m\u2126")) ||
                       lower.contains("mohm") || lower.contains("mo");
    const bool ohm =
        lower.contains(QChar(0x03c9)) || lower.contains(QChar(0x2126)) || lower.contains("ohm");
    if (!milli && !ohm)
        return fail(ErrorKind::InvalidArgument, "Milliohms or ohms? The unit is missing.",
                    text.toStdString(), accepted);
    std::vector<double> out;
    // Readings are parted by spaces, semicolons, or commas with a space; a comma between digits is
    // a decimal sign where it can be nothing else.
    static const QRegularExpression parting(R"([;\s]+|,\s+|,$)");
    static const QRegularExpression plain(R"(^\d+(?:\.\d+)?)");
    static const QRegularExpression oneComma(R"(^(\d+),(\d+))");
    static const QRegularExpression list(R"(^\d+(?:,\d+){2,})");
    for (const QString& word : lower.split(parting, Qt::SkipEmptyParts)) {
        if (!word.front().isDigit()) continue;  // units and words between
        const auto comma = oneComma.match(word);
        if (list.match(word).hasMatch()) {
            for (const QString& part : list.match(word).captured(0).split(','))
                out.push_back(part.toDouble());
        } else if (comma.hasMatch()) {
            const QString whole = comma.captured(1);
            const QString rest = comma.captured(2);
            if (whole != "0" && whole.size() == rest.size())
                return fail(
                    ErrorKind::InvalidArgument,
                    phrase("{}: is that one reading or two?", comma.captured(0).toStdString()),
                    text.toStdString(),
                    phrase("a point in a number, and a space between two readings."));
            out.push_back((whole + "." + rest).toDouble());
        } else {
            out.push_back(plain.match(word).captured(0).toDouble());
        }
    }
    for (double& r : out) {
        r *= milli ? 1e-3 : 1;
        if (!(r > 0))
            return fail(ErrorKind::InvalidArgument, phrase("No battery has a resistance of 0."),
                        text.toStdString(), accepted);
    }
    if (out.empty())
        return fail(ErrorKind::InvalidArgument, "There is no number in it.", text.toStdString(),
                    accepted);
    // A cell's resistance times its capacity lies between 1 mΩ·Ah and 3 Ω·Ah (common practice).
    const double scale = battery.rated_Ah > 0 ? battery.rated_Ah / battery.cells() : 0;
    for (const double r : out)
        if (scale > 0 && (r * scale > 3 || r * scale < 1e-3))
            return fail(ErrorKind::InvalidArgument,
                        "No battery of " + shortValue(battery.rated_Ah, "Ah") + " has " +
                            shortValue(r, "ohm") + ".",
                        text.toStdString(),
                        r * scale > 3 ? "a smaller value; are these milliohms?"
                                      : "a larger value; are these ohms?");
    return out;
}

}  // namespace nk
