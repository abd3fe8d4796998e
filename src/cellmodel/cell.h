// One simulated cell: open-circuit voltage over state of charge, a series resistance that depends
// on state of charge and temperature, two resistor-capacitor pairs and one lump of heat. A nickel
// cell in addition loses charge efficiency near full, so that it warms and its voltage peaks.
#pragma once

#include "chemistry/chemistry.h"

namespace nk {

struct CellParameters {
    const Chemistry* chemistry = nullptr;
    double capacity_Ah = 1;
    double r0_ohm = 0.03;  ///< at 25 °C, half charged
    double r1_ohm = 0.01, tau1_s = 20;
    double r2_ohm = 0.015, tau2_s = 400;
    double heatCapacity_J_K = 45;
    double heatLoss_W_K = 0.06;  ///< to the surroundings
    double leak_A = 0;           ///< self-discharge as a current
    /// Nickel only: fall of the voltage per kelvin of warming in overcharge, V/K. Larger for NiCd.
    double warmDrop_V_K = 0;
    double fullSharpness = 0.02;  ///< width in state of charge over which efficiency falls
};

struct CellState {
    double soc = 0.5;
    double v1_V = 0, v2_V = 0;
    double temperature_C = 25;
};

class Cell {
  public:
    Cell(const CellParameters& parameters, const CellState& state) : p_(parameters), s_(state) {}

    /// Voltage that does not depend on the present current: OCV, RC pairs, nickel's fullness.
    double sourceVoltage_V(double current_A) const;
    /// Series resistance now, Ω.
    double resistance_ohm() const;
    double voltage_V(double current_A) const {
        return sourceVoltage_V(current_A) + current_A * resistance_ohm();
    }
    /// Fraction of the charging current that is stored; 1 for lithium.
    double chargeEfficiency() const;

    /// Moves on by dt seconds at constant current (exact for the RC pairs).
    void step(double current_A, double dt_s, double ambient_C);

    const CellState& state() const { return s_; }
    const CellParameters& parameters() const { return p_; }

  private:
    double openCircuit_V() const;

    /// What a step of this length leaves of the RC pairs and of a temperature difference.
    struct Decay {
        double dt_s = -1, e1 = 0, e2 = 0, heat = 0;
    };
    Decay decay_;
    mutable double resistance_ohm_ = -1;  ///< of this state; below 0: not computed yet
    CellParameters p_;
    CellState s_;
};

}  // namespace nk
