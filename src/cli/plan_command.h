// narrow-knee-cli plan charge|breakin|recondition|storage|readyby|join|queue|chargers
#pragma once

#include <iosfwd>

#include "history/known_charge.h"
#include "history/plan_files.h"
#include "options.h"

namespace nk {

class PlanCommand {
  public:
    PlanCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err);

  private:
    CLI::App* sub(CLI::App& plan, const char* name, const char* words, int (PlanCommand::*run)());
    void batteryOptions(CLI::App& command);
    Expected<Battery> battery() const;
    Expected<std::optional<ChargerCard>> charger() const;
    Expected<void> openBook();
    Expected<void> knowTime(ChargeWish& wish);
    Expected<ChargeWish> chargeWish();
    Expected<ProgramWish> programWish();
    Expected<Presence> presence() const;
    int refused(const Error& why);
    int tellProgram(const Expected<Program>& program);
    int rules();
    int charge();
    int chargers();
    int breakIn();
    int recondition();
    int storage();
    int readyBy();
    int join();
    int queue();

    int& status_;
    std::ostream& out_;
    std::ostream& err_;
    std::string chemistry_, rate_, charger_, table_, chargers_, rest_, present_, start_, ready_,
        now_, calendar_, weekly_, order_ = "cd";
    int series_ = 0, cycles_ = 0;
    double rated_Ah_ = 0, capacity_Ah_ = 0, fromSoc_ = -1, toSoc_ = 0.5, ambient_C_ = 20,
           set_V_ = 0, floor_V_ = 0, lamp_W_ = 0, resistance_ohm_ = 0, seconds_ = 0.2, makerC_ = 0,
           rested_V_ = 0, field_Wh_ = 0, discharge_A_ = 0;
    std::vector<double> cells_V_;
    std::vector<std::string> ofBook_;
    std::unique_ptr<BenchBook> book_;
    std::optional<BatteryHistory> history_;
    std::optional<Standing> standing_;
    bool noDischarge_ = false, json_ = false, beyond_ = false, unattended_ = false, force_ = false,
         ratingIsRight_ = false, leaveEmpty_ = false;
};

}  // namespace nk
