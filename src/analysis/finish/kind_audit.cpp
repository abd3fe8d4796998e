// Whether the battery is of the kind that was said, by what its charges and rests show.
#include <algorithm>
#include <cmath>
#include <string>

#include "analysis/finish/audit.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

/// Nickel never stands at lithium's volts, whatever flows (the highest charging voltage of a cell
/// in the cold is about 1.7 V; memory).
void checkNoNickel(const AnalysisInput& in, const Chemistry& own, std::vector<Finding>& out) {
    constexpr double kNever = 1.6;
    for (std::size_t k = 0; k < in.steps.list.size(); ++k) {
        const Step& s = in.steps.list[k];
        const double perCell = medianVoltage(in, s) / in.battery.cells();
        if (!(perCell > kNever * own.nominal_V) || s.end_s - s.start_s < 60) continue;
        out.push_back({Severity::Verdict,
                       "wrong_chemistry",
                       phrase("{:.2f} V a cell is no voltage of {}: the kind or the series count "
                              "is another.",
                              perCell, own.name()),
                       phrase("Look at the label, and say so on its card: limits and ends hang on "
                              "it."),
                       {s.start_s, s.end_s, static_cast<int>(k)}});
        return;
    }
}

/// Held at the set voltage of another lithium a cell of a flat kind falls back to its own curve.
void checkRestsAsFlat(const AnalysisInput& in, const Chemistry& own, std::vector<Finding>& out) {
    if (own.flat) return;
    constexpr double kSettled_s = 600, kFarUnder_V = 0.5, kFlat_V = 0.15;
    const auto& list = in.steps.list;
    for (std::size_t k = 0; k + 1 < list.size(); ++k) {
        if (list[k].kind != StepKind::CvCharge || list[k + 1].kind != StepKind::Rest ||
            list[k + 1].end_s - list[k + 1].start_s < kSettled_s)
            continue;
        const double held = medianVoltage(in, list[k]) / in.battery.cells();
        const double rests = in.perCell(list[k + 1].endVoltage_V);
        const auto flat = std::ranges::find_if(chemistries(), [&](const Chemistry& c) {
            return c.flat && c.set_V < own.set_V && held >= c.set_V &&
                   held - rests >= kFarUnder_V &&
                   std::abs(rests - c.ocv.voltage_V(0.95)) <= kFlat_V;
        });
        if (flat == chemistries().end()) continue;
        out.push_back({Severity::Verdict,
                       "wrong_chemistry",
                       phrase("Held at {:.2f} V a cell it rests at {:.2f} V soon after: so rests "
                              "{}, full, and no {}.",
                              held, rests, flat->name(), own.name()),
                       phrase("Is it {}? Then it was overcharged: do not charge it again with "
                              "this setting, read its label and look at its skin.",
                              flat->name()),
                       {list[k].start_s, list[k + 1].end_s, static_cast<int>(k)}});
        return;
    }
}

/// The kinds that are charged to this voltage, in words; empty: none, or the own one.
std::string kindsSetTo(double held_V, const Chemistry& own) {
    constexpr double kSame_V = 0.035, kOwn_V = 0.02;
    const Chemistry* first = nullptr;
    int count = 0;
    for (const Chemistry& c : chemistries())
        if (std::abs(c.set_V - own.set_V) >= kOwn_V && std::abs(held_V - c.set_V) <= kSame_V) {
            if (first == nullptr) first = &c;
            ++count;
        }
    if (first == nullptr) return {};
    return count > 1 ? phrase("the {:.2f} V lithium kinds", first->set_V) : first->name();
}

}  // namespace

void checkWrongChemistry(const AnalysisInput& in, std::vector<Finding>& out) {
    const Chemistry* own = in.chemistry();
    if (own == nullptr) return;
    if (own->nickel()) return checkNoNickel(in, *own, out);
    checkRestsAsFlat(in, *own, out);
    for (std::size_t k = 0; k < in.steps.list.size(); ++k) {
        const Step& s = in.steps.list[k];
        if (s.kind != StepKind::CvCharge) continue;
        const double perCell = medianVoltage(in, s) / in.battery.cells();
        if (std::abs(perCell - own->set_V) < 0.05) continue;
        // 4.10 V on a 4.20 V cell is a choice of the careful, no wrong setting.
        const std::string others = kindsSetTo(perCell, *own);
        if (others.empty()) continue;
        out.push_back(
            {Severity::Verdict,
             "wrong_chemistry",
             phrase("The charger held {:.2f} V a cell, the set voltage of {}; this battery is "
                    "{}{} with {:.2f} V.",
                    perCell, others, own->name(),
                    in.assumed("chemistry") ? phrase(" (assumed)") : std::string(), own->set_V),
             perCell > own->set_V
                 ? phrase("Check the label, then the charger's setting, before it is charged "
                          "again.")
                 : phrase("It stops short of full with this setting. Check the label and the "
                          "charger's setting."),
             {s.start_s, s.end_s, static_cast<int>(k)}});
    }
}

}  // namespace nk
