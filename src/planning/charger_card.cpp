#include "charger_card.h"

#include <algorithm>
#include <cmath>

#include "quantity/phrase.h"

namespace nk {

double stepDown(double value, double step) {
    // A hair of room: 0.3 is three steps of 0.1.
    if (!(step > 0) || !std::isfinite(value)) return value;
    return std::round(std::floor(value / step + 1e-9) * step * 1e9) / 1e9;
}

double stepUp(double value, double step) {
    if (!(step > 0) || !std::isfinite(value)) return value;
    return std::round(std::ceil(value / step - 1e-9) * step * 1e9) / 1e9;
}

Expected<void> ChargerCard::canDo(const Chemistry& chemistry, int series) const {
    if (!chemistries.empty() && std::ranges::find(chemistries, chemistry.id) == chemistries.end()) {
        std::string list;
        for (const std::string& id : chemistries) list += (list.empty() ? "" : ", ") + id;
        return fail(ErrorKind::InvalidArgument,
                    phrase("{} has no program for {}.", name, chemistry.name()), {}, list);
    }
    if (series < cellsMin || series > cellsMax)
        return fail(ErrorKind::InvalidArgument,
                    phrase("{} cannot take {} cells in series.", name, series), {},
                    phrase("{} to {} cells.", cellsMin, cellsMax));
    return {};
}

double ChargerCard::effectiveCharge_A(double set_A, const Chemistry& chemistry, int series) const {
    const double watts = maxCharge_W / (chemistry.nominal_V * series);
    return stepDown(std::min({set_A, maxCharge_A, watts}), currentStep_A);
}

double ChargerCard::effectiveDischarge_A(double set_A, const Chemistry& chemistry,
                                         int series) const {
    const double watts = maxDischarge_W / (chemistry.nominal_V * series);
    return stepDown(std::min({set_A, maxDischarge_A, watts}), currentStep_A);
}

const std::vector<ChargerCard>& genericChargers() {
    static const std::vector<ChargerCard> all = [] {
        std::vector<ChargerCard> out(3);
        ChargerCard& field = out[0];
        field.name = "field charger 50 W";
        field.maxCharge_A = 5;
        field.maxDischarge_A = 1;
        field.maxCharge_W = 50;
        field.maxDischarge_W = 5;
        field.cellsMax = 15;
        field.currentStep_A = 0.1;
        field.capacityStep_mAh = 100;
        field.cutoffs = {10, 20};
        field.maxTimer_min = 720;
        field.balances = true;
        ChargerCard& bench = out[1];
        bench.name = "bench charger 200 W, two channels";
        bench.channels = 2;
        bench.maxCharge_A = 10;
        bench.maxDischarge_A = 3;
        bench.maxCharge_W = 200;
        bench.maxDischarge_W = 25;
        bench.cellsMax = 16;
        bench.currentStep_A = 0.1;
        bench.capacityStep_mAh = 50;
        bench.setVoltageStep_V = 0.01;
        bench.cutoffs = {10, 20, 30};
        bench.maxTimer_min = 1440;
        bench.balances = true;
        ChargerCard& cradle = out[2];
        cradle.name = "cradle, four round cells";
        cradle.channels = 4;
        cradle.maxCharge_A = 1;
        cradle.maxDischarge_A = 0.5;
        cradle.cellsMax = 1;
        cradle.currentStep_A = 0.1;
        return out;
    }();
    return all;
}

}  // namespace nk
