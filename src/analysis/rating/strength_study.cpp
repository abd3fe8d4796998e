#include "strength_study.h"

#include <algorithm>
#include <cmath>

namespace nk {

StudiedLog studyLog(const AnalysisInput& in, std::int64_t id, const std::string& title) {
    StudiedLog out;
    out.id = id;
    out.title = title;
    if (in.recording.empty()) return out;
    out.steps = stepResistances(in);
    out.standard = twoLevelResistances(in);
    for (const Step& s : in.steps.list)
        if (s.kind == StepKind::Variable && !s.powerLimited)
            if (const auto fit = regressLoad(in.recording, s.first, s.last))
                out.loads.push_back(*fit);
    out.curves = dischargeCurves(in);
    if (!out.curves.empty() && in.recording.hasTemperature()) out.heat = heatTrace(in);
    out.pack = packDischarges(in);
    out.side = compareSide(in);
    return out;
}

std::vector<DischargeCurve> StrengthStudy::curves() const {
    std::vector<DischargeCurve> out;
    for (const StudiedLog& log : logs) out.insert(out.end(), log.curves.begin(), log.curves.end());
    return out;
}

StrengthStudy studyStrength(std::vector<StudiedLog> logs, const Battery& battery,
                            const InstrumentAccuracy& accuracy, const RatingOptions& options) {
    StrengthStudy out;
    out.battery = battery;
    out.logs = std::move(logs);
    std::vector<HeatTrace> traces;
    for (const StudiedLog& log : out.logs)
        if (!log.heat.time_s.empty()) traces.push_back(log.heat);
    out.rating = rateBattery(out.curves(), traces, battery, accuracy, options);

    out.openCircuit = estimateOpenCircuit(out.curves(), battery);
    const StudiedLog* cold = nullptr;
    const StudiedLog* warm = nullptr;
    for (const StudiedLog& log : out.logs) {
        if (!std::isfinite(log.side.temperature_C)) continue;
        if (cold == nullptr || log.side.temperature_C < cold->side.temperature_C) cold = &log;
        if (warm == nullptr || log.side.temperature_C > warm->side.temperature_C) warm = &log;
    }
    if (cold != nullptr && warm->side.temperature_C - cold->side.temperature_C >= 8) {
        out.coldWarm = compareSides(warm->side, cold->side);
        out.coldTitle = cold->title;
        out.warmTitle = warm->title;
    }
    const Chemistry* chemistry = battery.chemistryData();
    const double usual = chemistry != nullptr ? chemistry->activation_J_mol : 20000;
    for (const double delay : {10.0, 1.0, 0.0}) {
        std::vector<ResistanceAt> readings;
        double coldest = 1e9;
        double warmest = -1e9;
        for (const StudiedLog& log : out.logs)
            for (const StepResistance& s : log.steps) {
                const bool comparable = std::isnan(s.soc) || (s.soc > 0.2 && s.soc <= 1.0);
                if (s.nominalDelay_s != delay || !std::isfinite(s.resistance_ohm) ||
                    !std::isfinite(s.temperature_C) || !comparable)
                    continue;
                readings.push_back({s.temperature_C, s.resistance_ohm, s.uncertainty_ohm});
                coldest = std::min(coldest, s.temperature_C);
                warmest = std::max(warmest, s.temperature_C);
            }
        if (readings.empty()) continue;
        const bool better = !out.law || (!out.law->fitted && warmest - coldest >= 5);
        if (!better) continue;
        out.law = fitTemperatureLaw(readings, usual);
        out.lawDelay_s = delay;
        out.lawReadings = std::move(readings);
    }
    return out;
}

}  // namespace nk
