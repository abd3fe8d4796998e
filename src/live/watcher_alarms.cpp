// Alarms of the limits, row by row: what is beyond them, cells that part, a supply that sags.
#include <algorithm>
#include <cmath>

#include "quantity/phrase.h"
#include "safety/gate.h"
#include "watcher.h"

namespace nk {

namespace {

/// How far back inside a limit a figure must come before its alarm may sound again.
constexpr double kBack_V = 0.02, kBack_C = 2;
/// Cells of a lithium pack that differ by more while it charges or rests (common practice, no
/// source), and when it is over again.
constexpr double kApart_V = 0.1, kTogether_V = 0.07, kApartFor_s = 10;
/// Under this share of the current that has flowed, at less than this share of the power, below the
/// set voltage: the supply sags (common practice, no source).
constexpr double kSag = 0.85, kSagPower = 0.93, kSagOver = 0.92, kSagFor_s = 15;
constexpr double kBelowSet_V = 0.1;
/// Under this share it is a trickle: the charger has gone on to it by itself.
constexpr double kTrickle = 0.3;

}  // namespace

void Watcher::judge(double t_s, const char* code, bool beyond, bool back, const std::string& words,
                    std::vector<LiveEvent>& out) {
    if (beyond && raised_.insert(code).second) {
        raisedAt_s_[code] = t_s;
        out.push_back(event(LiveEvent::Kind::Alarm, t_s, code, words));
    } else if (back) {
        raised_.erase(code);
    }
}

/// Cells that part while the pack charges or rests: the highest is full long before the others.
void Watcher::cellsApart(const Recording& r, std::size_t k, bool charging,
                         std::vector<LiveEvent>& out) {
    const auto& cells = r.cells_V();
    std::size_t highest = 0;
    std::size_t lowest = 0;
    for (std::size_t n = 0; n < cells.size(); ++n) {
        if (!std::isfinite(cells[n][k])) return;
        if (cells[n][k] > cells[highest][k]) highest = n;
        if (cells[n][k] < cells[lowest][k]) lowest = n;
    }
    const double apart = cells[highest][k] - cells[lowest][k];
    const double t = r.time_s()[k];
    if (apart <= kApart_V)
        apartSince_s_ = -1;
    else if (apartSince_s_ < 0)
        apartSince_s_ = t;
    judge(t, "cells_apart", apart > kApart_V && t - apartSince_s_ >= kApartFor_s,
          apart < kTogether_V,
          charging ? phrase("Cell {} stands {:.0f} mV above cell {}: charge slower or end the "
                            "charge, and balance it.",
                            highest + 1, 1000 * apart, lowest + 1)
                   : phrase("Cell {} stands {:.0f} mV above cell {} at rest: balance it before it "
                            "is used.",
                            highest + 1, 1000 * apart, lowest + 1),
          out);
}

/// A charge whose current falls off below the set voltage, and not because its power is at a limit.
void Watcher::sagging(const Recording& r, std::size_t k, double nothing_A,
                      std::vector<LiveEvent>& out) {
    const Chemistry* c = battery_.chemistryData();
    const double t = r.time_s()[k];
    const double amps = r.current_A()[k];
    if (amps <= nothing_A) {
        // A pause of a minute: what follows is another charge.
        if (offSince_s_ < 0) offSince_s_ = t;
        if (t - offSince_s_ > 60) flow_A_ = flow_W_ = most_A_ = most_W_ = 0, sagSince_s_ = -1;
        return;
    }
    offSince_s_ = -1;
    const double volts = r.voltage_V()[k];
    const double share = most_A_ > 0 ? 0.2 : 1;
    flow_A_ += share * (amps - flow_A_);
    flow_W_ += share * (amps * volts - flow_W_);
    most_A_ = std::max(most_A_, flow_A_);
    most_W_ = std::max(most_W_, flow_W_);
    const bool below = c->nickel() || volts / battery_.cells() < c->set_V - kBelowSet_V;
    const bool small = below && flow_A_ > kTrickle * most_A_ && flow_A_ < kSag * most_A_ &&
                       flow_W_ < kSagPower * most_W_;
    if (!small)
        sagSince_s_ = -1;
    else if (sagSince_s_ < 0)
        sagSince_s_ = t;
    judge(t, "source_sagging", small && t - sagSince_s_ >= kSagFor_s,
          !below || flow_A_ > kSagOver * most_A_,
          phrase("The current fell from {:.2f} to {:.2f} A below the set voltage: look at the "
                 "supply and its leads, or somebody turned it down.",
                 most_A_, flow_A_),
          out);
}

void Watcher::alarms(const Recording& r, std::size_t from, std::vector<LiveEvent>& out) {
    const Chemistry* c = battery_.chemistryData();
    if (c == nullptr || battery_.series < 1) return;
    const bool sure = std::ranges::find(battery_.assumed, "chemistry") == battery_.assumed.end();
    const double cells = battery_.cells();
    const auto told = [&](std::size_t k, const char* code, bool beyond, bool back,
                          const std::string& words) {
        judge(r.time_s()[k], code, beyond, back, words, out);
    };
    for (std::size_t k = from; k < r.size(); ++k) {
        double high = r.voltage_V()[k] / cells;
        double low = high;
        for (const auto& cell : r.cells_V()) {
            if (!std::isfinite(cell[k])) continue;
            high = std::max(high, cell[k]);
            low = std::min(low, cell[k]);
        }
        const double amps = r.current_A()[k];
        const double limit = std::isfinite(c->fault_V) ? c->fault_V : c->nominal_V * 1.6;
        if (sure)
            told(k, "overvoltage", high > limit, high < limit - kBack_V,
                 phrase("{:.2f} V a cell, the fault limit is {:.2f} V: stop the charge now.", high,
                        limit));
        if (sure && !c->nickel())
            told(k, "overdischarge", c->tooDeep(low) && amps <= 0,
                 low > c->overdischarge_V + kBack_V,
                 phrase("{:.2f} V a cell, under {:.2f} V it is over-drained: take the load off.",
                        low, c->overdischarge_V));
        const double nothing = battery_.rated_Ah > 0 ? 0.02 * battery_.rated_Ah : 0.02;
        const bool charging = amps > nothing;
        // A cell that is dead is called before anything more goes in; a load's dip is another word.
        if (sure && amps > -nothing)
            told(k, "out_of_use", c->outOfUse(low), !c->outOfUse(low - kBack_V),
                 c->nickel()
                     ? phrase("A cell is reversed ({:.2f} V): end it now, nothing is charged into "
                              "it.",
                              low)
                     : phrase("{:.2f} V a cell, under {:.2f} V it is out of use: end the charge "
                              "now and recycle it.",
                              low, c->outOfUse_V));
        if (sure && !c->nickel() && r.cells_V().size() > 1 && amps > -nothing)
            cellsApart(r, k, charging, out);
        if (sure) sagging(r, k, nothing, out);
        if (!r.hasTemperature() || !std::isfinite(r.temperature_C()[k])) continue;
        const double warm = r.temperature_C()[k];
        const double top = charging ? c->chargeMax_C : c->dischargeMax_C;
        told(k, "too_hot", warm > top, warm < top - kBack_C,
             phrase("{:.0f} °C, {:.0f} °C is the most: stop, let it cool where nothing burns.",
                    warm, top));
        told(k, "charged_cold", charging && c->tooColdToCharge(warm),
             !charging || warm > c->chargeMin_C + kBack_C,
             phrase("It charges at {:.0f} °C: stop, warm it first.", warm));
    }
}

/// What the battery's own model says of the step that is under way: its current, the chemistry's or
/// the card's end.

}  // namespace nk
