// What the study of several recordings needs of one, packed: CBOR (RFC 8949) with columns as single
// precision numbers, compressed. Single precision is a ten-millionth: far under any meter.
#include <array>
#include <bit>
#include <cstring>
#include <nlohmann/json.hpp>

#include "book/chunk_codec.h"
#include "quantity/json_whole.h"
#include "quantity/phrase.h"
#include "study.h"

namespace nk {

namespace {

using nlohmann::json;

constexpr int kVersion = 1;
/// A pulse train has tens of thousands of current steps: evenly chosen ones tell as much.
constexpr std::size_t kMostSteps = 4000;
/// What no study comes near to; a damaged book must not ask for all memory.
constexpr std::size_t kMostBytes = std::size_t{64} << 20;

json column(const std::vector<double>& values) {
    std::vector<std::uint8_t> bytes;
    bytes.reserve(values.size() * 4);
    for (const double x : values) {
        const auto bits = std::bit_cast<std::uint32_t>(static_cast<float>(x));
        for (int k = 0; k < 4; ++k) bytes.push_back(static_cast<std::uint8_t>(bits >> (8 * k)));
    }
    return json::binary(std::move(bytes));
}

void take(const json& j, std::vector<double>& into) {
    const auto& bytes = j.get_binary();
    into.resize(bytes.size() / 4);
    for (std::size_t k = 0; k < into.size(); ++k) {
        std::uint32_t bits = 0;
        for (std::size_t n = 0; n < 4; ++n)
            bits |= static_cast<std::uint32_t>(bytes[4 * k + n]) << (8 * n);
        into[k] = static_cast<double>(std::bit_cast<float>(bits));
    }
}

json fields(std::initializer_list<double> values) {
    json out = json::array();
    for (const double x : values) out.push_back(x);
    return out;
}

/// Reads the fields in the order they were written; throws where they are not there.
class Fields {
  public:
    explicit Fields(const json& j) : j_(j) {}
    void into(std::initializer_list<double*> places) {
        for (double* p : places) *p = j_.at(next_++).get<double>();
    }
    int whole() { return static_cast<int>(j_.at(next_++).get<double>()); }
    bool flag() { return j_.at(next_++).get<double>() != 0; }

  private:
    const json& j_;
    std::size_t next_ = 0;
};

json stepsOf(const std::vector<StepResistance>& all) {
    json out = json::array();
    const std::size_t stride = std::max<std::size_t>(1, all.size() / kMostSteps);
    for (std::size_t k = 0; k < all.size(); ++k) {
        // Whole groups: the delays of one step of the current stand beside each other.
        if (stride > 1 && (k / 4) % stride != 0) continue;
        const StepResistance& s = all[k];
        out.push_back({fields({s.resistance_ohm, s.uncertainty_ohm, s.coverage, s.nominalDelay_s,
                               s.delay_s, s.from_A, s.to_A, s.soc, s.temperature_C,
                               static_cast<double>(s.step), s.at_s}),
                       s.why});
    }
    return out;
}

StepResistance stepFrom(const json& j) {
    StepResistance s;
    Fields f(j.at(0));
    f.into({&s.resistance_ohm, &s.uncertainty_ohm, &s.coverage, &s.nominalDelay_s, &s.delay_s,
            &s.from_A, &s.to_A, &s.soc, &s.temperature_C});
    s.step = f.whole();
    f.into({&s.at_s});
    s.why = j.at(1).get<std::string>();
    return s;
}

json curveOf(const DischargeCurve& c) {
    return {column(c.charge_Ah), column(c.voltage_V), column(c.time_s), column(c.current_A),
            fields({c.mean_A, c.delivered_Ah, c.duration_s, c.startTemperature_C,
                    c.endTemperature_C, c.maxTemperature_C, c.startedFull ? 1.0 : 0.0,
                    c.startUnknown ? 1.0 : 0.0, c.reachedFloor ? 1.0 : 0.0, c.resistance_ohm,
                    c.resistanceDelay_s, c.sigma_V, static_cast<double>(c.step)})};
}

DischargeCurve curveFrom(const json& j) {
    DischargeCurve c;
    take(j.at(0), c.charge_Ah);
    take(j.at(1), c.voltage_V);
    take(j.at(2), c.time_s);
    take(j.at(3), c.current_A);
    const std::size_t n = c.charge_Ah.size();
    if (c.voltage_V.size() != n || c.time_s.size() != n || c.current_A.size() != n)
        throw std::length_error("columns");
    Fields f(j.at(4));
    f.into({&c.mean_A, &c.delivered_Ah, &c.duration_s, &c.startTemperature_C, &c.endTemperature_C,
            &c.maxTemperature_C});
    c.startedFull = f.flag();
    c.startUnknown = f.flag();
    c.reachedFloor = f.flag();
    f.into({&c.resistance_ohm, &c.resistanceDelay_s, &c.sigma_V});
    c.step = f.whole();
    return c;
}

json packOf(const PackDischarge& d) {
    json cells = json::array();
    for (const PackCell& c : d.cells)
        cells.push_back(
            fields({static_cast<double>(c.cell), c.end_V, c.rest_V, c.remaining_Ah,
                    c.remainingUncertainty_Ah, c.capacityRatio, c.offset_Ah, c.resistance_ohm}));
    return {fields({static_cast<double>(d.step), d.from_s, d.to_s, d.reachedFloor ? 1.0 : 0.0,
                    static_cast<double>(d.weakest), d.weakestAt_s, d.delivered_Ah, d.lost_Ah,
                    d.lostUncertainty_Ah, d.step_A, d.balancing_Ah, d.spreadRest_V, d.spreadEnd_V,
                    d.spreadLoad_V, d.capacity_Ah}),
            cells};
}

PackDischarge packFrom(const json& j) {
    PackDischarge d;
    Fields f(j.at(0));
    d.step = f.whole();
    f.into({&d.from_s, &d.to_s});
    d.reachedFloor = f.flag();
    d.weakest = f.whole();
    f.into({&d.weakestAt_s, &d.delivered_Ah, &d.lost_Ah, &d.lostUncertainty_Ah, &d.step_A,
            &d.balancing_Ah, &d.spreadRest_V, &d.spreadEnd_V, &d.spreadLoad_V, &d.capacity_Ah});
    for (const json& cell : j.at(1)) {
        PackCell c;
        Fields g(cell);
        c.cell = g.whole();
        g.into({&c.end_V, &c.rest_V, &c.remaining_Ah, &c.remainingUncertainty_Ah, &c.capacityRatio,
                &c.offset_Ah, &c.resistance_ohm});
        d.cells.push_back(c);
    }
    return d;
}

json sideOf(const CompareSide& s) {
    json steps = json::array();
    const std::size_t stride = std::max<std::size_t>(1, s.steps.size() / kMostSteps);
    for (std::size_t k = 0; k < s.steps.size(); ++k) {
        if ((k / 4) % stride != 0) continue;
        const auto& x = s.steps[k];
        steps.push_back(fields(
            {x.delay_s, x.resistance_ohm, x.uncertainty_ohm, x.soc, x.temperature_C, x.rested_V}));
    }
    return {steps, fields({s.charge_Ah, s.chargeUncertainty_Ah, s.energy_Wh, s.voltageUncertainty_V,
                           s.current_A, s.endVoltage_V, s.temperature_C, s.startedFull ? 1.0 : 0.0,
                           s.floor_V})};
}

CompareSide sideFrom(const json& j) {
    CompareSide s;
    for (const json& step : j.at(0)) {
        CompareSide::Step x;
        Fields f(step);
        f.into({&x.delay_s, &x.resistance_ohm, &x.uncertainty_ohm, &x.soc, &x.temperature_C,
                &x.rested_V});
        s.steps.push_back(x);
    }
    Fields f(j.at(1));
    f.into({&s.charge_Ah, &s.chargeUncertainty_Ah, &s.energy_Wh, &s.voltageUncertainty_V,
            &s.current_A, &s.endVoltage_V, &s.temperature_C});
    s.startedFull = f.flag();
    f.into({&s.floor_V});
    return s;
}

template <class T, class Make>
json listOf(const std::vector<T>& all, Make make) {
    json out = json::array();
    for (const T& x : all) out.push_back(make(x));
    return out;
}

}  // namespace

std::string packStrength(const StudiedLog& log) {
    const json j = {kVersion,
                    stepsOf(log.steps),
                    listOf(log.standard,
                           [](const TwoLevel& m) {
                               return json{fields({m.resistance_ohm, m.uncertainty_ohm, m.low_A,
                                                   m.high_A, m.lowHeld_s, m.highDelay_s,
                                                   static_cast<double>(m.step), m.from_s, m.to_s}),
                                           m.cell, m.note};
                           }),
                    listOf(log.loads,
                           [](const LoadResistance& l) {
                               return fields({l.resistance_ohm, l.uncertainty_ohm,
                                              static_cast<double>(l.samples), l.spread_A});
                           }),
                    listOf(log.curves, curveOf),
                    json{column(log.heat.time_s), column(log.heat.temperature_C),
                         column(log.heat.current_A), fields({log.heat.ambient_C})},
                    listOf(log.pack, packOf),
                    sideOf(log.side)};
    const auto bytes = json::to_cbor(j);
    return packBlob({reinterpret_cast<const char*>(bytes.data()), bytes.size()});
}

Expected<StudiedLog> unpackStrength(const std::string& packed, std::int64_t id,
                                    const std::string& title) {
    const auto damaged = [] {
        return fail(ErrorKind::Storage, phrase("What is stored of a recording is damaged."));
    };
    const auto bytes = unpackBlob(packed, kMostBytes);
    if (!bytes) return tl::unexpected<Error>(bytes.error());
    const json j = json::from_cbor(*bytes, true, false);
    if (j.is_discarded()) return damaged();
    StudiedLog log;
    log.id = id;
    log.title = title;
    try {
        if (wholeOf<int>(j.at(0)) != kVersion) return damaged();
        for (const json& s : j.at(1)) log.steps.push_back(stepFrom(s));
        for (const json& s : j.at(2)) {
            TwoLevel m;
            Fields f(s.at(0));
            f.into({&m.resistance_ohm, &m.uncertainty_ohm, &m.low_A, &m.high_A, &m.lowHeld_s,
                    &m.highDelay_s});
            m.step = f.whole();
            f.into({&m.from_s, &m.to_s});
            m.cell = s.at(1).get<std::string>();
            m.note = s.at(2).get<std::string>();
            log.standard.push_back(m);
        }
        for (const json& s : j.at(3)) {
            LoadResistance l;
            Fields f(s);
            f.into({&l.resistance_ohm, &l.uncertainty_ohm});
            l.samples = static_cast<std::size_t>(std::max(0, f.whole()));
            f.into({&l.spread_A});
            log.loads.push_back(l);
        }
        for (const json& s : j.at(4)) log.curves.push_back(curveFrom(s));
        const json& heat = j.at(5);
        take(heat.at(0), log.heat.time_s);
        take(heat.at(1), log.heat.temperature_C);
        take(heat.at(2), log.heat.current_A);
        Fields(heat.at(3)).into({&log.heat.ambient_C});
        if (log.heat.temperature_C.size() != log.heat.time_s.size() ||
            log.heat.current_A.size() != log.heat.time_s.size())
            return damaged();
        for (const json& s : j.at(6)) log.pack.push_back(packFrom(s));
        log.side = sideFrom(j.at(7));
    } catch (const std::exception&) {
        return damaged();
    }
    return log;
}

}  // namespace nk
