#include "words.h"

#include <fmt/format.h>

#include <cmath>

namespace nk {

std::string kindWords(const Step& s) {
    switch (s.kind) {
        case StepKind::Rest:
            return s.cutOut ? "pause after a cut-out" : "rest";
        case StepKind::CcCharge:
            return "charge, constant current";
        case StepKind::CvCharge:
            return "charge, constant voltage";
        case StepKind::CcDischarge:
            return "discharge, constant current";
        case StepKind::CpDischarge:
            return "discharge, constant power";
        case StepKind::CrDischarge:
            return "discharge, constant resistance";
        case StepKind::Pulse:
            return s.meanCurrent_A > 0 ? "charge pulse" : "discharge pulse";
        case StepKind::Variable:
            if (s.powerLimited) return "charge, power-limited";
            return s.meanCurrent_A > 0 ? "charge, variable" : "discharge, variable load";
        case StepKind::Gap:
            return "no samples";
    }
    return "step";
}

std::string kindWordsShort(const Step& s) {
    switch (s.kind) {
        case StepKind::Rest:
            return "rest";
        case StepKind::CcCharge:
            return "charge, const. I";
        case StepKind::CvCharge:
            return "const. V";
        case StepKind::CcDischarge:
            return "discharge, const. I";
        case StepKind::CpDischarge:
            return "discharge, const. P";
        case StepKind::CrDischarge:
            return "discharge, const. R";
        case StepKind::Pulse:
            return "pulse";
        case StepKind::Variable:
            return s.powerLimited ? "power limit" : "variable";
        case StepKind::Gap:
            return "gap";
    }
    return "step";
}

std::string kindWordsTiny(const Step& s) {
    if (!s.isActive() || s.kind == StepKind::CvCharge || s.kind == StepKind::Pulse ||
        s.kind == StepKind::Variable)
        return kindWordsShort(s);
    return s.meanCurrent_A > 0 ? "charge" : "disch.";
}

std::string endingWords(EndedBy reason) {
    switch (reason) {
        case EndedBy::VoltageLimit:
            return "the set voltage was reached";
        case EndedBy::Taper:
            return "the current tapered off";
        case EndedBy::NegativeDeltaV:
            return "the voltage had peaked and fallen (−ΔV)";
        case EndedBy::ZeroDeltaV:
            return "the voltage had stopped rising";
        case EndedBy::Temperature:
            return "the temperature limit was reached";
        case EndedBy::Timer:
            return "a round time was over, as with a timer";
        case EndedBy::ChargeLimit:
            return "a charge limit was reached";
        case EndedBy::VoltageFloor:
            return "the voltage floor was reached";
        case EndedBy::CellVoltageFloor:
            return "one cell reached its floor";
        case EndedBy::PowerLimit:
            return "the charger's power limit was reached";
        case EndedBy::Manual:
            return "it was stopped early, perhaps by hand";
        case EndedBy::EndOfLog:
            return "the log ends";
        case EndedBy::Unknown:
            return "the log does not tell";
    }
    return "the log does not tell";
}

std::string batteryWords(const Battery& b) {
    std::string out;
    const auto add = [&](const std::string& part) { out += (out.empty() ? "" : " · ") + part; };
    const auto assumed = [&](const char* field) {
        for (const auto& a : b.assumed)
            if (a == field) return std::string(" (assumed)");
        return std::string();
    };
    if (const Chemistry* c = b.chemistryData())
        add(c->label + assumed("chemistry"));
    else
        add("chemistry not given");
    if (b.series > 0)
        add(fmt::format("{}S{}{}", b.series, b.parallel > 1 ? fmt::format("{}P", b.parallel) : "",
                        assumed("series")));
    if (b.rated_Ah > 0)
        add(shortValue(b.rated_Ah, "Ah") + " rated");
    else
        add("rated capacity not given");
    return out;
}

bool isHeadline(const std::string& name) {
    return name == "delivered_capacity" || name == "cv_set_voltage" || name == "max_temperature" ||
           name == "knee_time";
}

std::string headline(const Reading& r, const Analysis& a) {
    const auto step = r.evidence.step >= 0 ? static_cast<std::size_t>(r.evidence.step) : 0;
    const Step* s =
        r.evidence.step >= 0 && step < a.steps.list.size() ? &a.steps.list[step] : nullptr;
    if (r.name == "delivered_capacity" && s != nullptr) {
        int parts = 0;
        for (const Step& other : a.steps.list)
            parts += other.isDischarge() && other.start_s >= r.evidence.from_s - 1e-9 &&
                     other.end_s <= r.evidence.to_s + 1e-9;
        if (parts > 1) return fmt::format("Gave back in all, in {} parts", parts);
        std::string text = "Gave back at ";
        text += a.battery.rated_Ah > 0
                    ? fmt::format("{:.2g}C", std::abs(s->meanCurrent_A) / a.battery.rated_Ah)
                    : shortValue(std::abs(s->meanCurrent_A), "A");
        text += " down to " + shortValue(s->endVoltage_V, "V");
        return text;
    }
    if (r.name == "knee_time") return "Constant current turned into constant voltage at";
    if (r.name == "cv_set_voltage") return "The charger held";
    if (r.name == "max_temperature") return "Warmest";
    if (const Metric* m = findMetric(r.name)) return m->title;
    return r.name;
}

}  // namespace nk
