#include "own_models.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "book/hash.h"
#include "open_recording.h"
#include "quantity/json_whole.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

using Json = nlohmann::json;
constexpr int kVersion = 3;  ///< of the fit: a model of another version is fitted anew
constexpr std::size_t kMostLogs = 6;
constexpr std::size_t kMostOpened = 40;

std::string settingOf(std::int64_t battery) {
    return "own_model:" + std::to_string(battery);
}

/// JSON has no NaN.
Json number(double x) {
    return std::isfinite(x) ? Json(x) : Json(nullptr);
}
double numberIn(const Json& j, const char* name) {
    const auto it = j.find(name);
    return it != j.end() && it->is_number() ? it->get<double>() : kNaN;
}

template <class T>
std::vector<T> listIn(const Json& j, const char* name) {
    std::vector<T> out;
    const auto it = j.find(name);
    if (it == j.end() || !it->is_array()) return out;
    for (const Json& x : *it) {
        if constexpr (std::is_same_v<T, std::string>) {
            if (x.is_string()) out.push_back(x.get<std::string>());
        } else {
            if (x.is_number()) out.push_back(x.get<T>());
        }
    }
    return out;
}

struct Candidate {
    const RecordingEntry* entry;
    OpenedRecording opened;
    double rate_C = 0, warmth_C = kNaN, moved_Ah = 0;
};

/// What tells most: the newest, then one by one the log that is furthest in rate and warmth from
/// those taken.
std::vector<std::size_t> telling(const std::vector<Candidate>& all) {
    std::vector<std::size_t> out;
    if (all.empty()) return out;
    out.push_back(0);
    const auto distance = [&](const Candidate& a, const Candidate& b) {
        const double rate = std::abs(std::log(std::max(a.rate_C, 0.02) / std::max(b.rate_C, 0.02)));
        const bool warm = std::isfinite(a.warmth_C) && std::isfinite(b.warmth_C);
        return rate + (warm ? std::abs(a.warmth_C - b.warmth_C) / 10 : 0);
    };
    while (out.size() < std::min(kMostLogs, all.size())) {
        std::size_t best = 0;
        double far = -1;
        for (std::size_t k = 1; k < all.size(); ++k) {
            if (std::ranges::find(out, k) != out.end()) continue;
            double nearest = 1e9;
            for (const std::size_t o : out) nearest = std::min(nearest, distance(all[k], all[o]));
            // Newer ones win a tie.
            nearest -= 0.001 * static_cast<double>(k);
            if (nearest > far || best == 0) far = nearest, best = k;
        }
        out.push_back(best);
    }
    return out;
}

}  // namespace

std::string keptModelText(const KeptModel& kept) {
    const OwnModel& m = kept.model;
    Json j = {{"schema", "narrow-knee/own-model/1"},
              {"fingerprint", kept.fingerprint},
              {"chemistry", m.chemistry->id},
              {"series", m.series},
              {"capacity_Ah", m.capacity_Ah},
              {"scale_Ah", m.scale_Ah},
              {"correction_V", m.correction_V},
              {"r0_ohm", m.r0_ohm},
              {"r_ohm", m.r_ohm},
              {"tau_s", m.tau_s},
              {"lag_s", m.lag_s},
              {"lag_Ah_A", m.lag_Ah_A},
              {"activation_J_mol", m.activation_J_mol},
              {"heat_J_K", m.heat_J_K},
              {"loss_W_K", m.loss_W_K},
              {"heat_known", m.heatKnown},
              {"left_out_rms_V", m.leftOutRms_V},
              {"left_out_at_V", m.leftOutAt_V},
              {"noise_V", m.noise_V},
              {"resistance_share", m.resistanceShare},
              {"charge_share", m.chargeShare},
              {"full_share", m.fullShare},
              {"evidence",
               {m.evidence.c_low, m.evidence.c_high, m.evidence.t_low_C, m.evidence.t_high_C,
                m.evidence.soc_low, m.evidence.soc_high}},
              {"caveats", m.caveats},
              {"learned_from", kept.learnedFrom},
              {"titles", kept.titles}};
    if (m.nickel.known())
        j["nickel"] = {{"extra_Ah", m.nickel.extra_Ah},
                       {"extra_sigma_Ah", m.nickel.extraSigma_Ah},
                       {"slope_Ah", m.nickel.slope_Ah},
                       {"slope_sigma_Ah", m.nickel.slopeSigma_Ah},
                       {"amps", m.nickel.amps},
                       {"fall_Ah", m.nickel.fall_Ah},
                       {"fall_share", m.nickel.fallShare},
                       {"seen", m.nickel.seen},
                       {"rise_V", m.nickel.rise_V}};
    Json logs = Json::array();
    for (const LeftOutLog& l : m.leftOut)
        logs.push_back({{"log", l.log},
                        {"time_s", l.time_s},
                        {"measured_V", l.measured_V},
                        {"predicted_V", l.predicted_V},
                        {"rms_V", number(l.rms_V)},
                        {"measured_s", number(l.measured_s)},
                        {"predicted_s", number(l.predicted_s)},
                        {"measured_Ah", number(l.measured_Ah)},
                        {"predicted_Ah", number(l.predicted_Ah)}});
    j["left_out"] = std::move(logs);
    return j.dump(-1, ' ', false, Json::error_handler_t::replace);
}

std::optional<KeptModel> keptModelIn(const std::string& text) {
    const Json j = Json::parse(text, nullptr, false);
    if (!j.is_object() || j.value("schema", Json()) != "narrow-knee/own-model/1")
        return std::nullopt;
    try {
        KeptModel out;
        OwnModel& m = out.model;
        const auto chemistry = findChemistry(j.at("chemistry").get<std::string>());
        if (!chemistry) return std::nullopt;
        m.chemistry = *chemistry;
        out.fingerprint = j.at("fingerprint").get<std::string>();
        m.series = wholeOf<int>(j.at("series"));
        m.capacity_Ah = numberIn(j, "capacity_Ah");
        m.scale_Ah = numberIn(j, "scale_Ah");
        m.correction_V = listIn<double>(j, "correction_V");
        m.r0_ohm = listIn<double>(j, "r0_ohm");
        m.r_ohm = j.at("r_ohm").get<std::array<double, 2>>();
        m.tau_s = j.at("tau_s").get<std::array<double, 2>>();
        m.lag_s = numberIn(j, "lag_s");
        m.lag_Ah_A = numberIn(j, "lag_Ah_A");
        m.activation_J_mol = numberIn(j, "activation_J_mol");
        m.heat_J_K = numberIn(j, "heat_J_K");
        m.loss_W_K = numberIn(j, "loss_W_K");
        m.heatKnown = j.at("heat_known").get<bool>();
        m.leftOutRms_V = numberIn(j, "left_out_rms_V");
        m.leftOutAt_V = listIn<double>(j, "left_out_at_V");
        m.noise_V = numberIn(j, "noise_V");
        m.resistanceShare = numberIn(j, "resistance_share");
        m.chargeShare = numberIn(j, "charge_share");
        m.fullShare = numberIn(j, "full_share");
        if (const auto it = j.find("nickel"); it != j.end())
            m.nickel = {numberIn(*it, "extra_Ah"),    numberIn(*it, "extra_sigma_Ah"),
                        numberIn(*it, "slope_Ah"),    numberIn(*it, "slope_sigma_Ah"),
                        numberIn(*it, "amps"),        numberIn(*it, "fall_Ah"),
                        numberIn(*it, "fall_share"),  wholeIn(*it, "seen", 0),
                        listIn<double>(*it, "rise_V")};
        const auto e = listIn<double>(j, "evidence");
        m.caveats = listIn<std::string>(j, "caveats");
        out.learnedFrom = listIn<std::int64_t>(j, "learned_from");
        out.titles = listIn<std::string>(j, "titles");
        if (e.size() != 6 || m.series < 1 || !m.wellFormed()) return std::nullopt;
        m.evidence = {e[0], e[1], e[2], e[3], e[4], e[5]};
        for (const Json& l : j.at("left_out")) {
            LeftOutLog log;
            log.log = wholeOf<std::size_t>(l.at("log"));
            log.time_s = listIn<double>(l, "time_s");
            log.measured_V = listIn<double>(l, "measured_V");
            log.predicted_V = listIn<double>(l, "predicted_V");
            log.rms_V = numberIn(l, "rms_V");
            log.measured_s = numberIn(l, "measured_s");
            log.predicted_s = numberIn(l, "predicted_s");
            log.measured_Ah = numberIn(l, "measured_Ah");
            log.predicted_Ah = numberIn(l, "predicted_Ah");
            if (log.log >= out.learnedFrom.size() || log.measured_V.size() != log.time_s.size() ||
                log.predicted_V.size() != log.time_s.size())
                return std::nullopt;
            m.leftOut.push_back(std::move(log));
        }
        return out;
    } catch (const Json::exception&) {
        return std::nullopt;
    }
}

Expected<KeptModel> ownModelOf(BenchBook& book, std::int64_t batteryId, std::stop_token stop) {
    auto list = book.recordings();
    if (!list) return tl::unexpected<Error>(list.error());
    std::erase_if(*list, [&](const RecordingEntry& e) { return e.batteryId != batteryId; });
    std::ranges::sort(*list, std::greater(), &RecordingEntry::at_s);
    if (list->size() > kMostOpened) list->resize(kMostOpened);
    const auto makings = allMakings(book, *list);
    if (!makings) return tl::unexpected<Error>(makings.error());
    std::string all = "own model " + std::to_string(kVersion);
    for (std::size_t k = 0; k < list->size(); ++k)
        all += "|" + std::to_string((*list)[k].id) + ":" + fingerprintOf((*makings)[k]);
    const std::string fingerprint = sha256(all).substr(0, 24);
    if (auto kept = keptModelIn(book.setting(settingOf(batteryId)).value_or(std::string())))
        if (kept->fingerprint == fingerprint) return *kept;

    const auto entry = findBattery(book, std::to_string(batteryId));
    if (!entry) return tl::unexpected<Error>(entry.error());
    const Battery& battery = entry->battery;
    std::vector<Candidate> candidates;
    for (std::size_t k = 0; k < list->size(); ++k) {
        if (stop.stop_requested()) return fail(ErrorKind::Cancelled, phrase("Stopped as asked."));
        auto opened = openRecording(book, (*list)[k], (*makings)[k]);
        if (!opened) continue;
        Candidate c{&(*list)[k], std::move(*opened)};
        const double rated = battery.rated_Ah > 0 ? battery.rated_Ah : 1;
        double seconds = 0;
        for (const Step& s : c.opened.analysis.steps.list) {
            const double moved = std::abs(s.sum.charge_Ah);
            c.moved_Ah += moved;
            if (!s.isDischarge() && !s.isCharge()) continue;
            if (moved > 0.1 * rated && s.sum.duration_s > seconds) {
                seconds = s.sum.duration_s;
                c.rate_C = moved / rated / std::max(s.sum.duration_s / 3600, 1e-6);
            }
        }
        if (c.moved_Ah < 0.1 * rated || seconds == 0) continue;
        const Recording& r = *c.opened.recording;
        if (r.hasTemperature() && r.size() > 0) c.warmth_C = r.temperature_C()[r.size() / 2];
        candidates.push_back(std::move(c));
        // Enough to choose from.
        if (candidates.size() == 2 * kMostLogs) break;
    }
    KeptModel out;
    std::vector<ModelLog> logs;
    for (const std::size_t k : telling(candidates)) {
        const Candidate& c = candidates[k];
        logs.push_back({c.opened.recording.get(), &c.opened.analysis.steps});
        out.learnedFrom.push_back(c.entry->id);
        out.titles.push_back(c.entry->title);
    }
    if (stop.stop_requested()) return fail(ErrorKind::Cancelled, phrase("Stopped as asked."));
    auto model = fitOwnModel(logs, battery);
    if (!model) return tl::unexpected<Error>(model.error());
    out.model = std::move(*model);
    out.fingerprint = fingerprint;
    if (!book.readOnly()) (void)book.keepComputed(settingOf(batteryId), keptModelText(out));
    return out;
}

}  // namespace nk
