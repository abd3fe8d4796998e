#include "words.h"

#include "quantity/phrase.h"

#include <fmt/format.h>

#include <cmath>

namespace nk {

std::string kindWords(const Step& s) {
    switch (s.kind) {
        case StepKind::Rest:
            return s.cutOut ? phrase("pause after a cut-out") : phrase("rest");
        case StepKind::CcCharge:
            return phrase("charge, constant current");
        case StepKind::CvCharge:
            return phrase("charge, constant voltage");
        case StepKind::CcDischarge:
            return phrase("discharge, constant current");
        case StepKind::CpDischarge:
            return phrase("discharge, constant power");
        case StepKind::CrDischarge:
            return phrase("discharge, constant resistance");
        case StepKind::Pulse:
            return s.meanCurrent_A > 0 ? phrase("charge pulse") : phrase("discharge pulse");
        case StepKind::Variable:
            if (s.powerLimited) return phrase("charge, power-limited");
            return s.meanCurrent_A > 0 ? phrase("charge, variable")
                                       : phrase("discharge, variable load");
        case StepKind::Gap:
            return phrase("no samples");
    }
    return phrase("step");
}

std::string kindWordsShort(const Step& s) {
    switch (s.kind) {
        case StepKind::Rest:
            return phrase("rest");
        case StepKind::CcCharge:
            return phrase("charge, const. I");
        case StepKind::CvCharge:
            return phrase("const. V");
        case StepKind::CcDischarge:
            return phrase("discharge, const. I");
        case StepKind::CpDischarge:
            return phrase("discharge, const. P");
        case StepKind::CrDischarge:
            return phrase("discharge, const. R");
        case StepKind::Pulse:
            return phrase("pulse");
        case StepKind::Variable:
            return s.powerLimited ? phrase("power limit") : phrase("variable");
        case StepKind::Gap:
            return phrase("gap");
    }
    return phrase("step");
}

std::string kindWordsTiny(const Step& s) {
    if (!s.isActive() || s.kind == StepKind::CvCharge || s.kind == StepKind::Pulse ||
        s.kind == StepKind::Variable)
        return kindWordsShort(s);
    return s.meanCurrent_A > 0 ? phrase("charge") : phrase("disch.");
}

std::string endingWords(EndedBy reason) {
    switch (reason) {
        case EndedBy::VoltageLimit:
            return phrase("the set voltage was reached");
        case EndedBy::Taper:
            return phrase("the current tapered off");
        case EndedBy::NegativeDeltaV:
            return phrase("the voltage had peaked and fallen (−ΔV)");
        case EndedBy::ZeroDeltaV:
            return phrase("the voltage had stopped rising");
        case EndedBy::Temperature:
            return phrase("the temperature limit was reached");
        case EndedBy::Timer:
            return phrase("a round time was over, as with a timer");
        case EndedBy::ChargeLimit:
            return phrase("a charge limit was reached");
        case EndedBy::VoltageFloor:
            return phrase("the voltage floor was reached");
        case EndedBy::CellVoltageFloor:
            return phrase("one cell reached its floor");
        case EndedBy::PowerLimit:
            return phrase("the charger's power limit was reached");
        case EndedBy::Manual:
            return phrase("it was stopped early, perhaps by hand");
        case EndedBy::EndOfLog:
            return phrase("the log ends");
        case EndedBy::Unknown:
            return phrase("the log does not tell");
    }
    return phrase("the log does not tell");
}

std::string batteryWords(const Battery& b) {
    std::string out;
    const auto add = [&](const std::string& part) { out += (out.empty() ? "" : " · ") + part; };
    const auto assumed = [&](const char* field) {
        for (const auto& a : b.assumed)
            if (a == field) return phrase(" (assumed)");
        return std::string();
    };
    if (const Chemistry* c = b.chemistryData())
        add(c->label + assumed("chemistry"));
    else
        add(phrase("chemistry not given"));
    if (b.series > 0)
        add(fmt::format("{}S{}{}", b.series, b.parallel > 1 ? fmt::format("{}P", b.parallel) : "",
                        assumed("series")));
    if (b.rated_Ah > 0)
        add(shortValue(b.rated_Ah, "Ah") + phrase(" rated"));
    else
        add(phrase("rated capacity not given"));
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
        if (parts > 1) return phrase("Gave back in all, in {} parts", parts);
        std::string text = phrase("Gave back at ");
        text += a.battery.rated_Ah > 0
                    ? phrase("{:.2g}C", std::abs(s->meanCurrent_A) / a.battery.rated_Ah)
                    : shortValue(std::abs(s->meanCurrent_A), "A");
        text += phrase(" down to ") + shortValue(s->endVoltage_V, "V");
        return text;
    }
    if (r.name == "knee_time") return phrase("Constant current turned into constant voltage at");
    if (r.name == "cv_set_voltage") return phrase("The charger held");
    if (r.name == "max_temperature") return phrase("Warmest");
    if (const Metric* m = findMetric(r.name)) return phrase(m->title);
    return r.name;
}

}  // namespace nk
