#include "event.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <span>

#include "analysis/finish/stop_moment.h"
#include "quantity/format.h"

namespace nk {

namespace {

Integral add(const Integral& a, const Integral& b) {
    Integral out = a;
    out.charge_Ah += b.charge_Ah;
    out.energy_Wh += b.energy_Wh;
    out.absCharge_Ah += b.absCharge_Ah;
    out.duration_s += b.duration_s;
    out.samplingCharge_Ah = std::hypot(a.samplingCharge_Ah, b.samplingCharge_Ah);
    out.samplingEnergy_Wh = std::hypot(a.samplingEnergy_Wh, b.samplingEnergy_Wh);
    return out;
}

Event build(const AnalysisInput& in, const std::vector<int>& group) {
    Event e;
    e.steps = group;
    const auto& list = in.steps.list;
    double biggest = -1;
    for (const int index : group) {
        const Step& s = list[static_cast<std::size_t>(index)];
        e.sum = add(e.sum, s.sum);
        if (std::abs(s.sum.charge_Ah) > biggest)
            biggest = std::abs(s.sum.charge_Ah), e.main = index;
    }
    const Step& first = list[static_cast<std::size_t>(group.front())];
    const Step& last = list[static_cast<std::size_t>(group.back())];
    e.first = first.first;
    e.last = last.last;
    e.from_s = first.start_s;
    e.to_s = last.end_s;
    e.endVoltage_V = last.endVoltage_V;
    if (e.sum.duration_s > 0) e.meanCurrent_A = e.sum.charge_Ah * 3600 / e.sum.duration_s;
    const auto temp = in.recording.temperature_C();
    double sum = 0;
    double n = 0;
    for (std::size_t k = e.first; k <= e.last && k < temp.size(); ++k)
        if (std::isfinite(temp[k])) sum += temp[k], ++n;
    if (n > 0) e.meanTemperature_C = sum / n;
    return e;
}

/// How full a charge that tapered away at this voltage a cell makes it: 1 at the usual set voltage
/// (or the card's own) and above.
double levelOfSet(const Chemistry& c, double held_V) {
    constexpr double kSame_V = 0.02;  // a charger's own doubt
    if (c.nickel() || c.ocv.empty() || held_V >= c.set_V - kSame_V) return 1;
    // On a flat curve the volts above the plateau only hurry the end.
    if (c.flat && held_V >= c.ocv.voltage_V(0.99)) return 1;
    return std::clamp(c.ocv.soc(held_V) / c.fullSoc, 0.0, 1.0);
}

/// Slope over rows from `from` to the last; relative standard uncertainty of the fit beside it.
std::pair<double, double> slopeOf(std::span<const double> q, std::span<const double> v) {
    const auto n = static_cast<double>(q.size());
    double mq = 0;
    double mv = 0;
    for (std::size_t k = 0; k < q.size(); ++k) mq += q[k] / n, mv += v[k] / n;
    double qq = 0;
    double qv = 0;
    double vv = 0;
    for (std::size_t k = 0; k < q.size(); ++k) {
        qq += (q[k] - mq) * (q[k] - mq);
        qv += (q[k] - mq) * (v[k] - mv);
        vv += (v[k] - mv) * (v[k] - mv);
    }
    if (!(qq > 0) || !(qv > 0)) return {kNaN, kNaN};
    const double left = std::max(0.0, vv - qv * qv / qq);
    const double u = n > 2 ? std::sqrt(left / (n - 2) / qq) : qv / qq;
    return {qv / qq, u / (qv / qq)};
}

/// How the voltage falls at its end: over the last 3 % of its charge, on the steep side where it
/// bends (methods.md §16).
void lookAtEnd(const AnalysisInput& in, Event& e) {
    const ChannelQuality& quality = in.recording.voltageQuality();
    e.endDoubt_V = quadrature({rectangle(in.accuracy.voltageGain * e.endVoltage_V),
                               rectangle(in.accuracy.voltageOffsetSteps * quality.resolution),
                               quality.resolution / std::sqrt(12.0), quality.noise});
    const Step& last = in.steps.list[static_cast<std::size_t>(e.steps.back())];
    if (last.kind != StepKind::CcDischarge && last.kind != StepKind::CpDischarge &&
        last.kind != StepKind::CrDischarge)
        return;
    const auto& running = runningCharge_Ah(in);
    const auto v = in.recording.voltage_V();
    const double whole = std::abs(e.sum.charge_Ah);
    const auto rowsOf = [&](double share) {
        std::size_t from = last.last;
        while (from > last.first && std::abs(running[last.last] - running[from]) < share * whole)
            --from;
        return from;
    };
    constexpr double kLast = 0.03;
    constexpr std::size_t kFewest = 5;
    std::size_t from = rowsOf(kLast);
    // Few rows an hour: what there is of the last tenth.
    if (last.last - from + 1 < kFewest)
        from = std::max(rowsOf(0.1),
                        last.last >= last.first + kFewest ? last.last - kFewest + 1 : last.first);
    const auto part = [&](std::size_t begin) {
        return slopeOf(std::span(running).subspan(begin, last.last - begin + 1),
                       v.subspan(begin, last.last - begin + 1));
    };
    const auto [slope, share] = part(from);
    if (!std::isfinite(slope)) return;
    e.endSlope_V_Ah = slope;
    e.endSlopeShare = share;
    const std::size_t late = last.last - (last.last - from) / 3;
    if (last.last - late + 1 >= kFewest) {
        const auto [steep, unsure] = part(late);
        if (steep > slope && unsure < 0.3) {
            e.endSlope_V_Ah = steep;
            e.endSlopeShare = std::hypot(unsure, 0.5 * (steep - slope) / steep);
        }
    }
}

/// How full the battery was when a discharge began, from what came before it.
void judgeStart(const AnalysisInput& in, Event& e) {
    const auto& list = in.steps.list;
    const Chemistry* c = in.chemistry();
    if (c == nullptr) return;
    const auto firstStep = static_cast<std::size_t>(e.steps.front());
    double restLength = 0;
    double restVoltage = kNaN;
    std::size_t k = firstStep;
    while (k > 0 && (list[k - 1].kind == StepKind::Rest || list[k - 1].kind == StepKind::Pulse)) {
        --k;
        if (list[k].kind == StepKind::Rest) {
            restLength += list[k].end_s - list[k].start_s;
            if (std::isnan(restVoltage)) restVoltage = list[k].endVoltage_V;
        }
    }
    if (k > 0 && list[k - 1].isCharge()) {
        const Step& charge = list[k - 1];
        // Full by the usual end of its label, so that what it holds does not decide what is full.
        const double rated = std::max(in.battery.rated_Ah, in.battery.capacity_Ah());
        if (charge.kind == StepKind::CvCharge) {
            const double start = in.recording.current_A()[charge.first];
            const double limit = rated > 0 ? 1.1 * rated / 10 : 0.2 * start;
            const double end = stopCurrentOf(in.recording, in.accuracy, charge).value_A;
            const double held = in.perCell(0.5 * (charge.startVoltage_V + charge.endVoltage_V));
            e.fromLevel = levelOfSet(*c, held);
            constexpr double kNotFull = 0.95;
            if (end <= limit && e.fromLevel < kNotFull) {
                e.fullAtStart = Known::No;
                e.fullBecause = phrase("the charge before it was held at {} a cell: {:.0f} % full",
                                       shortValue(held, "V"), 100 * e.fromLevel);
                return;
            }
            if (end <= limit) {
                e.fullAtStart = Known::Yes;
                e.fullBecause = phrase("a charge that tapered to ") + shortValue(end, "A") +
                                phrase(" came before");
                return;
            }
        }
        if (c->nickel() &&
            (charge.endedBy == EndedBy::NegativeDeltaV || charge.endedBy == EndedBy::ZeroDeltaV ||
             (rated > 0 && charge.sum.charge_Ah > 1.05 * rated))) {
            e.fullAtStart = Known::Yes;
            e.fullBecause = phrase("a charge to its end came before");
            return;
        }
    }
    const double cells = in.battery.cells();
    if (std::isfinite(restVoltage) && restLength >= 30) {
        const double perCell = restVoltage / cells;
        const double soc = c->ocv.soc(perCell);
        const double slope = std::max(c->ocv.slope_V(std::clamp(soc, 0.01, 0.99)), 1e-3);
        // The voltage still creeps after a short rest.
        const double u_V = std::hypot(c->ocvSpread_V, restLength < 600 ? 0.010 : 0.003);
        e.startSoc = soc;
        e.startSocUncertainty = std::min(0.5, u_V / slope);
        const double full_V = c->ocv.voltage_V(0.95);
        if (perCell >= full_V - u_V * (c->nickel() ? 0 : 1)) {
            e.fullAtStart = Known::Yes;
            e.fullBecause = phrase("it rested at {} a cell before", shortValue(perCell, "V"));
        } else if (soc + 2 * e.startSocUncertainty < 0.93) {
            e.fullAtStart = Known::No;
            e.fullBecause = phrase("it rested at {} a cell before, about {:.0f} % charged",
                                   shortValue(perCell, "V"), 100 * soc);
        }
        return;
    }
    const double loaded = in.recording.voltage_V()[e.first] / cells;
    if (!c->nickel() && loaded >= c->ocv.voltage_V(0.93)) {
        e.fullAtStart = Known::Yes;
        e.fullBecause = phrase("it started at {} a cell under load", shortValue(loaded, "V"));
    }
}

}  // namespace

int Event::mainStep() const {
    return main;
}

double carryTo_Ah(double end_V, double floor_V, double slope_V_Ah, double charge_Ah) {
    constexpr double kMost = 0.05;
    if (!(slope_V_Ah > 0)) return kNaN;
    const double more = (end_V - floor_V) / slope_V_Ah;
    return std::abs(more) <= kMost * std::abs(charge_Ah) ? more : kNaN;
}

namespace {

/// At the usual floor, or so near to it that little was left, by its own last slope.
bool endsAtFloor(const AnalysisInput& in, const Event& e, const Chemistry& c) {
    constexpr double kNear_V = 0.05;
    const double end = in.perCell(e.endVoltage_V);
    if (end <= c.dischargeFloor_V + kNear_V) return true;
    return std::isfinite(carryTo_Ah(e.endVoltage_V, c.dischargeFloor_V * in.battery.cells(),
                                    e.endSlope_V_Ah, e.sum.charge_Ah));
}

std::vector<Event> findDischarges(const AnalysisInput& in) {
    std::vector<Event> out;
    const Chemistry* c = in.chemistry();
    for (const auto& group : dischargeGroups(in.steps)) {
        Event e = build(in, group);
        judgeStart(in, e);
        lookAtEnd(in, e);
        const Step& last = in.steps.list[static_cast<std::size_t>(group.back())];
        if (last.endedBy == EndedBy::VoltageFloor || last.endedBy == EndedBy::CellVoltageFloor)
            e.reachedFloor = Known::Yes;
        else if (c != nullptr)
            e.reachedFloor = endsAtFloor(in, e, *c) ? Known::Yes : Known::No;
        out.push_back(std::move(e));
    }
    return out;
}

}  // namespace

const std::vector<Event>& dischargeEvents(const AnalysisInput& in) {
    return in.memo->remember<std::vector<Event>>("discharges", [&] { return findDischarges(in); });
}

const std::vector<Event>& chargeEvents(const AnalysisInput& in) {
    return in.memo->remember<std::vector<Event>>("charges", [&] {
        std::vector<Event> out;
        for (const auto& group : chargeGroups(in.steps)) out.push_back(build(in, group));
        return out;
    });
}

const std::vector<double>& runningCharge_Ah(const AnalysisInput& in) {
    return in.memo->remember<std::vector<double>>(
        "running charge", [&] { return cumulativeCharge_Ah(in.recording); });
}

}  // namespace nk
