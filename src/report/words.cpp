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
        add(c->name() + assumed("chemistry"));
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

std::string verdictWords(const std::string& verdict) {
    return verdict == "keep"          ? phrase("Keep it")
           : verdict == "watch"       ? phrase("Watch it")
           : verdict == "recondition" ? phrase("Recondition it")
           : verdict == "sell"        ? phrase("Weak: use it where little is asked")
           : verdict == "retire"      ? phrase("Retire it")
           : verdict == "return"      ? phrase("Return it: the label is false")
                                      : phrase("Not enough known");
}

}  // namespace nk
