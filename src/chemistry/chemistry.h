// What is known of each chemistry: limits per cell, temperatures, open-circuit curve. The figures
// come from assets/chemistry/*.json, each with its source; a maker's data sheet always wins.
#pragma once

#include <cmath>
#include <limits>
#include <map>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "quantity/error.h"

namespace nk {

/// Open-circuit voltage per cell at 25 °C over state of charge (0 … 1), rising.
class OpenCircuitCurve {
  public:
    OpenCircuitCurve() = default;
    OpenCircuitCurve(std::vector<double> soc, std::vector<double> voltage_V);

    /// V per cell; clamped to the ends of the table. Monotone cubic between the points
    /// (Fritsch and Carlson, SIAM J. Numer. Anal. 17 (1980) 238–246).
    double voltage_V(double soc) const;
    /// dV/dSoC, V per unit state of charge.
    double slope_V(double soc) const;
    /// State of charge of a rested voltage; 0 or 1 outside the table, NaN of NaN.
    double soc(double voltage_V) const;
    bool empty() const { return soc_.empty(); }
    std::span<const double> socPoints() const { return soc_; }
    std::span<const double> voltagePoints_V() const { return voltage_V_; }

  private:
    std::vector<double> soc_, voltage_V_, tangent_;
};

/// How a kind is charged: constant current, then constant voltage down to a taper (all lithium
/// kinds and sodium); or constant current to a peak.
enum class Family { Lithium, Nickel };

struct Chemistry {
    std::string id;     ///< the name of its file in assets/chemistry
    std::string label;  ///< for people
    Family family = Family::Lithium;
    double nominal_V = 0;
    double set_V = 0;             ///< end-of-charge voltage; NaN for nickel
    double fullSoc = 1;           ///< place of `set_V` on the curve, 0.2 at least; nickel: its end
    double fault_V = 0;           ///< above this a charge is a hazard; NaN for nickel
    double dischargeFloor_V = 0;  ///< usual end of discharge
    double overdrained_V = 0;     ///< at rest; under this it is over-drained: charged gently
    double outOfUse_V = 0;        ///< at rest; under this a lithium cell is out of use; 0: nickel
    double overdischarge_V = 0;   ///< under load; under this a discharge went too deep
    double ruined_V = 0;          ///< under load; a cell driven under this is out of use
    double balancerFrom_V = 0;    ///< from here on a balancer works; NaN for nickel
    double chargeMin_C = 0, chargeMax_C = 45;
    double chargeSlowBelow_C = 10;
    double chargeSlowRate_C = 0.2;  ///< highest rate between chargeMin_C and chargeSlowBelow_C
    double dischargeMin_C = -20, dischargeMax_C = 60;
    double chargeC = 1;              ///< usual highest charge rate without a maker's figure, C
    double dischargeC = 1;           ///< usual highest discharge rate without a maker's figure, C
    double resistance_ohmAh = 0.08;  ///< of a usual cell, times its capacity
    double sagFloor_V = 3;           ///< under load; where a load's voltage limit usually lies
    double headFrom_V =
        std::numeric_limits<double>::quiet_NaN();  ///< at rest; over it the curve is a
                                                   ///< steep head; NaN: it has none
    /// What labels of this kind print, V a cell, the usual figure first; how often such a battery
    /// comes to the bench; between which volts it is printed empty.
    struct Printed {
        double share = 0;
        std::vector<double> nominal_V, full_V;
        double emptyLow_V = 0, emptyHigh_V = 0;
    } printed;
    std::vector<std::string> words;  ///< of labels, lower case; some mean several kinds
    /// May be assumed from volts alone, with this much against it; NaN: it never is.
    double guessHandicap = std::numeric_limits<double>::quiet_NaN();
    int order = 0;          ///< its place where kinds are listed
    std::string ageingLaw;  ///< the published law of this kind of cell: nmc, lmo, lfp; empty: none
    double mostCell_Ah = 350;     ///< no single cell of this kind holds more
    double peakDrop_V = 0;        ///< −ΔV per cell, nickel
    double activation_J_mol = 0;  ///< default Ea of the resistance's temperature law
    double specificEnergy_Wh_kg = 0;
    OpenCircuitCurve ocv;
    double ocvSpread_V = 0.01;  ///< how far single cells lie from the curve, standard deviation
    bool flat = false;          ///< volts hardly tell the level
    bool plates = false;        ///< metal plates out when it is charged in the cold
    std::string sources;        ///< the sources of the figures above, for the "how" panel
    std::map<std::string, std::string> sourceOf;  ///< of each figure, by its key in the file

    /// `fullSoc` anew, after the curve or the set voltage has changed.
    void settle();
    bool nickel() const { return family == Family::Nickel; }
    /// Whether its curve ends in a steep head, where a step of the current is no resistance.
    bool steepHead() const { return headFrom_V == headFrom_V; }
    /// `label` in the language of this thread.
    std::string name() const;

    // What a figure of a cell says; `doubt` is its half width: a limit is passed when the value
    // less its doubt passes it (methods.md §12).
    bool overFault(double cell_V, double doubt = 0) const { return cell_V - doubt > fault_V; }
    /// Far over the fault limit: the cell is out of use (common practice, no source).
    bool grosslyOvercharged(double cell_V, double doubt = 0) const {
        return overFault(cell_V, doubt) && cell_V > fault_V + 0.05;
    }
    bool tooDeep(double loaded_V, double doubt = 0) const {
        return loaded_V + doubt < overdischarge_V;
    }
    bool ruined(double loaded_V, double doubt = 0) const { return loaded_V + doubt < ruined_V; }
    bool overdrained(double rested_V, double doubt = 0) const {
        return rested_V + doubt < overdrained_V;
    }
    bool outOfUse(double rested_V, double doubt = 0) const {
        return nickel() ? rested_V + doubt < ruined_V : rested_V + doubt < outOfUse_V;
    }
    bool tooColdToCharge(double at_C) const { return at_C < chargeMin_C; }
    bool tooWarmToCharge(double at_C) const { return at_C > chargeMax_C; }
    bool slowlyOnly(double at_C) const { return at_C < chargeSlowBelow_C; }
    bool tooHot(double at_C) const { return at_C > dischargeMax_C; }
};

/// All chemistries in a fixed order.
const std::vector<Chemistry>& chemistries();
/// Their ids in a row: "nmc, nca, …".
std::string chemistryIds();
/// The chemistry with this id, or an error that lists the ids.
Expected<const Chemistry*> findChemistry(std::string_view id);

/// Figures of the maker's data sheet that replace the usual ones of the chemistry, per cell. NaN:
/// not given. They always win, and every place that uses one says so.
struct MakerLimits {
    static constexpr double kNone = std::numeric_limits<double>::quiet_NaN();
    double set_V = kNone;
    double dischargeFloor_V = kNone;
    double chargeMin_C = kNone, chargeMax_C = kNone;
    double dischargeMax_C = kNone;
    double chargeC = kNone;         ///< highest charge rate, C
    double balancerFrom_V = kNone;  ///< from here on the pack's balancer works

    bool any() const;
    /// Errors: a figure that no data sheet of this kind has, with what would be accepted. Full: at
    /// most 0.25 V over the usual, and never for nickel; empty: between out of use and nominal;
    /// charging between −40 and 80 °C, at most 10C (common practice, no source).
    Expected<void> check(const Chemistry& usual) const;
    /// What goes beyond the usual figures of the kind, as a sentence, and so needs an explicit step
    /// of a person who has the data sheet; empty: nothing.
    std::string beyondUsual(const Chemistry& usual) const;
};

/// A battery's own open-circuit curve, estimated from its logs; takes the place of the chemistry's.
struct OwnCurve {
    std::vector<double> soc, voltage_V;  ///< rising; V per cell
    double uncertainty_V = 0.01;
    bool empty() const { return soc.size() < 2; }
};

/// What was set on the charger, as far as the user wrote it down; 0: not known.
struct ChargerSettings {
    double current_A = 0;
    double cutoff_A = 0;
    double charge_Ah = 0;  ///< capacity limit

    bool any() const { return current_A > 0 || cutoff_A > 0 || charge_Ah > 0; }
};

/// What the user says about the battery. Zero or empty: not known.
struct Battery {
    std::string name;
    std::string chemistry;  ///< id, may be empty
    int series = 0;
    int parallel = 1;
    double rated_Ah = 0;
    double measured_Ah = 0;  ///< what it holds today, as far as it is known; 0: not known
    double mass_kg = 0;
    double ambient_C = kUnknown;
    double label_C = 0;  ///< discharge C rating that the label claims; 0: none
    ChargerSettings charger;
    std::vector<std::string> rules;    ///< stop rules kept for this battery (analysis/finish)
    std::vector<std::string> assumed;  ///< fields that were guessed: "chemistry", "series"

    static constexpr double kUnknown = -1000;
    bool hasAmbient() const { return ambient_C > kUnknown; }
    /// The chemistry's figures with the maker's in their place; null when it is not known.
    const Chemistry* chemistryData() const;
    /// Takes the maker's figures over; call it again after `chemistry` has changed. Those that
    /// MakerLimits::check refuses, as a foreign book may hold them, count as not given.
    void setLimits(const MakerLimits& limits);
    const MakerLimits& limits() const { return limits_; }
    /// Takes the battery's own open-circuit curve; an empty one goes back to the chemistry's.
    void setOwnCurve(const OwnCurve& curve);
    const OwnCurve& ownCurve() const { return ownCurve_; }
    double cells() const { return series > 0 ? series : 1; }
    /// What a C rate, the end of a taper and every threshold count of: what it holds today where
    /// that is known, else the rating (methods.md §16), Ah; 0: neither is known.
    double capacity_Ah() const { return measured_Ah > 0 ? measured_Ah : rated_Ah; }
    /// " of the 3.86 Ah it holds" where C counts of a measured capacity, else nothing.
    std::string capacityWords() const;
    /// Accepts or says what is out of range and what would be accepted.
    Expected<void> check() const;

  private:
    void combine();

    MakerLimits limits_;
    OwnCurve ownCurve_;
    std::shared_ptr<const Chemistry> own_;  ///< the chemistry with limits and curve in place
};

/// State of charge, 0 … 1, at 95 %.
struct ChargeRange {
    double low = 0, high = 1;
};
/// What a rested voltage (V a cell, with its standard uncertainty) tells of the charge, by the
/// battery's own curve or the usual one of its chemistry. Single cells lie ±40 mV from a usual
/// curve for layered oxides by their grade, ±10 mV by hysteresis for flat kinds, ±30 mV for nickel
/// (memory; shared decision in docs/methods.md). Nothing without a curve.
std::optional<ChargeRange> restedCharge(const Battery& battery, double perCell_V,
                                        double uncertainty_V);

/// A battery with the fields that were left open guessed from the recording's voltages: series
/// count from the highest and lowest voltage, chemistry only as an assumption that is marked.
/// Voltage alone does not tell LFP from other lithium, so a guess always says so.
Battery completeBattery(const Battery& known, std::span<const double> voltage_V,
                        std::span<const double> current_A, int cellColumns);

}  // namespace nk
