#include "chemistry.h"

#include "charge_rates.h"
#include "quantity/format.h"
#include "quantity/phrase.h"
#include "quantity/sentence.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

namespace nk {

const std::vector<std::pair<std::string_view, std::string_view>>& chemistryFiles();

OpenCircuitCurve::OpenCircuitCurve(std::vector<double> soc, std::vector<double> voltage_V)
    : soc_(std::move(soc)), voltage_V_(std::move(voltage_V)) {
    const std::size_t n = soc_.size();
    tangent_.assign(n, 0.0);
    if (n < 2) return;
    std::vector<double> secant(n - 1);
    for (std::size_t i = 0; i + 1 < n; ++i)
        secant[i] = (voltage_V_[i + 1] - voltage_V_[i]) / (soc_[i + 1] - soc_[i]);
    tangent_.front() = secant.front();
    tangent_.back() = secant.back();
    for (std::size_t i = 1; i + 1 < n; ++i) {
        // Weighted harmonic mean: keeps the curve monotone between the points.
        if (secant[i - 1] * secant[i] <= 0) continue;
        const double h0 = soc_[i] - soc_[i - 1];
        const double h1 = soc_[i + 1] - soc_[i];
        const double w1 = 2 * h1 + h0;
        const double w2 = h1 + 2 * h0;
        tangent_[i] = (w1 + w2) / (w1 / secant[i - 1] + w2 / secant[i]);
    }
}

namespace {

std::size_t segmentOf(std::span<const double> x, double at) {
    const auto it = std::upper_bound(x.begin(), x.end(), at);
    const auto i = static_cast<std::size_t>(it - x.begin());
    return std::clamp<std::size_t>(i, 1, x.size() - 1) - 1;
}

}  // namespace

double OpenCircuitCurve::voltage_V(double soc) const {
    if (soc_.size() < 2) return std::nan("");
    const double s = std::clamp(soc, soc_.front(), soc_.back());
    const std::size_t i = segmentOf(soc_, s);
    const double h = soc_[i + 1] - soc_[i];
    const double u = (s - soc_[i]) / h;
    const double u2 = u * u;
    const double u3 = u2 * u;
    return (2 * u3 - 3 * u2 + 1) * voltage_V_[i] + (u3 - 2 * u2 + u) * h * tangent_[i] +
           (-2 * u3 + 3 * u2) * voltage_V_[i + 1] + (u3 - u2) * h * tangent_[i + 1];
}

double OpenCircuitCurve::slope_V(double soc) const {
    if (soc_.size() < 2) return std::nan("");
    const double s = std::clamp(soc, soc_.front(), soc_.back());
    const std::size_t i = segmentOf(soc_, s);
    const double h = soc_[i + 1] - soc_[i];
    const double u = (s - soc_[i]) / h;
    return ((6 * u * u - 6 * u) * voltage_V_[i] + (6 * u - 6 * u * u) * voltage_V_[i + 1]) / h +
           (3 * u * u - 4 * u + 1) * tangent_[i] + (3 * u * u - 2 * u) * tangent_[i + 1];
}

double OpenCircuitCurve::soc(double voltage_V) const {
    if (soc_.size() < 2 || std::isnan(voltage_V)) return std::nan("");
    if (voltage_V <= voltage_V_.front()) return soc_.front();
    if (voltage_V >= voltage_V_.back()) return soc_.back();
    // The curve rises and so do its knots: the piece is found among them, the place in it by Newton
    // steps that a bracket keeps safe.
    const auto above = std::ranges::lower_bound(voltage_V_, voltage_V);
    const auto i = static_cast<std::size_t>(above - voltage_V_.begin()) - 1;
    const double h = soc_[i + 1] - soc_[i];
    const double rise = voltage_V_[i + 1] - voltage_V_[i];
    const double from = h * tangent_[i];
    const double to = h * tangent_[i + 1];
    const double wanted = voltage_V - voltage_V_[i];
    // v(u) − v(0) = from u + (3 rise − 2 from − to) u² + (from + to − 2 rise) u³
    const double square = 3 * rise - 2 * from - to;
    const double cube = from + to - 2 * rise;
    double low = 0;
    double high = 1;
    double u = wanted / rise;
    for (int k = 0; k < 60; ++k) {
        const double miss = u * (from + u * (square + u * cube)) - wanted;
        (miss < 0 ? low : high) = u;
        const double slope = from + u * (2 * square + 3 * u * cube);
        double next = slope > 0 ? u - miss / slope : -1;
        if (!(next > low && next < high)) next = 0.5 * (low + high);
        if (std::abs(next - u) < 1e-15) break;
        u = next;
    }
    return soc_[i] + h * u;
}

namespace {

double number(const nlohmann::json& j, const char* key) {
    const auto it = j.find(key);
    return it == j.end() || it->is_null() ? std::nan("") : it->at("value").get<double>();
}

Chemistry parseChemistry(std::string_view id, std::string_view text) {
    const auto j = nlohmann::json::parse(text);
    Chemistry c;
    c.id = id;
    c.label = j.at("label").get<std::string>();
    c.family = j.at("family") == "nickel" ? Family::Nickel : Family::Lithium;
    const auto& limits = j.at("figures");
    c.nominal_V = number(limits, "nominal_V");
    c.set_V = number(limits, "set_V");
    c.fault_V = number(limits, "fault_V");
    c.dischargeFloor_V = number(limits, "discharge_floor_V");
    c.overdrained_V = number(limits, "overdrained_V");
    c.outOfUse_V = number(limits, "out_of_use_V");
    c.chargeMin_C = number(limits, "charge_min_C");
    c.chargeMax_C = number(limits, "charge_max_C");
    c.chargeSlowBelow_C = number(limits, "charge_slow_below_C");
    c.overdischarge_V = number(limits, "overdischarge_V");
    c.ruined_V = number(limits, "ruined_V");
    c.balancerFrom_V = number(limits, "balancer_from_V");
    c.chargeSlowRate_C = number(limits, "charge_slow_rate_C");
    c.dischargeMin_C = number(limits, "discharge_min_C");
    c.dischargeMax_C = number(limits, "discharge_max_C");
    c.dischargeC = number(limits, "discharge_rate_C");
    c.resistance_ohmAh = number(limits, "resistance_ohm_Ah");
    c.mostCell_Ah = number(limits, "most_cell_Ah");
    c.sagFloor_V = number(limits, "sag_floor_V");
    c.headFrom_V = number(limits, "head_from_V");
    c.ageingLaw = j.value("ageing_law", "");
    const auto& printed = j.at("printed");
    c.printed = {
        printed.at("share").get<double>(), printed.at("nominal_V").get<std::vector<double>>(),
        printed.at("full_V").get<std::vector<double>>(), printed.at("empty_V").at(0).get<double>(),
        printed.at("empty_V").at(1).get<double>()};
    c.words = j.at("words").get<std::vector<std::string>>();
    c.order = j.at("order").get<int>();
    if (const auto guess = j.find("guessed_from_volts"); guess != j.end())
        c.guessHandicap = guess->at("handicap").get<double>();
    c.flat = j.at("traits").at("flat").get<bool>();
    c.plates = j.at("traits").at("plates").get<bool>();
    c.chargeC = number(limits, "charge_rate_C");
    c.peakDrop_V = number(limits, "peak_drop_V");
    c.activation_J_mol = number(limits, "activation_J_mol");
    c.specificEnergy_Wh_kg = number(limits, "specific_energy_Wh_kg");
    const auto& ocv = j.at("open_circuit");
    c.ocv = OpenCircuitCurve(ocv.at("soc").get<std::vector<double>>(),
                             ocv.at("voltage_V").get<std::vector<double>>());
    c.ocvSpread_V = ocv.at("spread_V").get<double>();
    c.settle();
    for (const auto& [key, figure] : limits.items()) {
        if (figure.is_null()) continue;
        if (!c.sources.empty()) c.sources += "; ";
        c.sourceOf[key] = figure.at("source").get<std::string>();
        c.sources += key + ": " + c.sourceOf[key];
    }
    return c;
}

}  // namespace

void Chemistry::settle() {
    fullSoc = std::isfinite(set_V) && !ocv.empty() ? std::max(0.2, ocv.soc(set_V)) : 1;
}

const std::vector<Chemistry>& chemistries() {
    static const std::vector<Chemistry> all = [] {
        std::vector<Chemistry> list;
        for (const auto& [name, text] : chemistryFiles())
            list.push_back(parseChemistry(name, text));
        std::ranges::sort(list, {}, &Chemistry::order);
        return list;
    }();
    return all;
}

std::string chemistryIds() {
    std::string ids;
    for (const Chemistry& c : chemistries()) ids += ids.empty() ? c.id : ", " + c.id;
    return ids;
}

Expected<const Chemistry*> findChemistry(std::string_view id) {
    for (const Chemistry& c : chemistries())
        if (c.id == id) return &c;
    return fail(ErrorKind::InvalidArgument,
                phrase("There is no chemistry called '") + std::string(id) + "'.", "chemistry",
                chemistryIds() + ".");
}

std::string Chemistry::name() const {
    return phrase(label);
}

namespace {

/// The labels that are words and not signs: what a translator is asked for.
[[maybe_unused]] constexpr const char* kWordLabels[] = {
    sentence("Lithium polymer"), sentence("Lithium polymer, high voltage"), sentence("Sodium-ion")};

constexpr double kMakerReach_V = 0.25, kColdest_C = -40, kWarmest_C = 80;

using MakerFigure = double MakerLimits::*;
constexpr MakerFigure kMakerFigures[] = {
    &MakerLimits::set_V,         &MakerLimits::dischargeFloor_V, &MakerLimits::chargeMin_C,
    &MakerLimits::chargeMax_C,   &MakerLimits::dischargeMax_C,   &MakerLimits::chargeC,
    &MakerLimits::balancerFrom_V};

/// Those that are accepted, each on its own.
MakerLimits acceptedOf(const MakerLimits& given, const Chemistry& usual) {
    MakerLimits out;
    for (const MakerFigure figure : kMakerFigures) {
        MakerLimits one;
        one.*figure = given.*figure;
        if (one.check(usual)) out.*figure = given.*figure;
    }
    if (out.chargeMin_C >= out.chargeMax_C) out.chargeMin_C = out.chargeMax_C = MakerLimits::kNone;
    return out;
}

}  // namespace

Expected<void> MakerLimits::check(const Chemistry& usual) const {
    const auto refuse = [](const std::string& what, const std::string& accepted) {
        return fail(ErrorKind::InvalidArgument, what, "maker's figures", accepted);
    };
    // Written so that what is no number is refused too, where something is given at all.
    const auto given = [](double x) { return !std::isnan(x); };
    const auto within = [](double x, double low, double high) { return x >= low && x <= high; };
    if (given(set_V) && usual.nickel())
        return refuse(phrase("{} has no set voltage: its charge ends at a peak.", usual.name()),
                      phrase("nothing for \"full at\"."));
    if (given(set_V) && !within(set_V, usual.nominal_V, usual.set_V + kMakerReach_V))
        return refuse(phrase("Full at {:.4g} V a cell is no figure of {}.", set_V, usual.name()),
                      phrase("{:.2f} to {:.2f} V a cell; or the right chemistry.", usual.nominal_V,
                             usual.set_V + kMakerReach_V));
    const double least_V = usual.nickel() ? 0.5 * usual.dischargeFloor_V
                                          : std::min(usual.outOfUse_V, usual.overdischarge_V);
    if (given(dischargeFloor_V) && !within(dischargeFloor_V, least_V, usual.nominal_V))
        return refuse(
            phrase("Empty at {:.4g} V a cell is no figure of {}.", dischargeFloor_V, usual.name()),
            phrase("{:.2f} to {:.2f} V a cell.", least_V, usual.nominal_V));
    if (given(balancerFrom_V) && usual.nickel())
        return refuse(phrase("{} has no balancer.", usual.name()),
                      phrase("nothing for \"balances from\"."));
    if (given(balancerFrom_V) && !within(balancerFrom_V, usual.nominal_V, usual.fault_V))
        return refuse(phrase("A balancer that works from {:.4g} V a cell is none of {}.",
                             balancerFrom_V, usual.name()),
                      phrase("{:.2f} to {:.2f} V a cell.", usual.nominal_V, usual.fault_V));
    for (const double x : {chargeMin_C, chargeMax_C, dischargeMax_C})
        if (given(x) && !within(x, kColdest_C, x == dischargeMax_C ? 100 : kWarmest_C))
            return refuse(
                phrase("{} is no limit of a data sheet.", shortValue(x, "C")),
                phrase("{} to {}.", shortValue(kColdest_C, "C"), shortValue(kWarmest_C, "C")));
    if (chargeMin_C >= chargeMax_C)
        return refuse(phrase("Charging from {} up to {} leaves nothing.",
                             shortValue(chargeMin_C, "C"), shortValue(chargeMax_C, "C")),
                      phrase("the colder figure first."));
    if (given(chargeC) && !within(chargeC, 0.01, kMostRate_C))
        return refuse(phrase("{:.4g}C is no charge rate that is accepted.", chargeC),
                      phrase("0.01C to {:.0f}C.", kMostRate_C));
    return {};
}

std::string MakerLimits::beyondUsual(const Chemistry& usual) const {
    if (set_V > usual.set_V + 0.001)
        return phrase("{:.4g} V a cell is over the {:.4g} V of {}.", set_V, usual.set_V,
                      usual.name());
    if (dischargeFloor_V < usual.overdischarge_V - 0.001)
        return phrase("{:.4g} V a cell is under the {:.4g} V that {} bears.", dischargeFloor_V,
                      usual.overdischarge_V, usual.name());
    if (chargeMin_C < usual.chargeMin_C)
        return phrase("Charging at {} is under the limit of {}.", shortValue(chargeMin_C, "C"),
                      usual.name());
    if (chargeMax_C > usual.chargeMax_C)
        return phrase("Charging at {} is over the limit of {}.", shortValue(chargeMax_C, "C"),
                      usual.name());
    if (chargeC > usual.chargeC + 1e-9)
        return phrase("Charging at {:.4g}C is over the usual {:.4g}C of {}.", chargeC,
                      usual.chargeC, usual.name());
    return {};
}

bool MakerLimits::any() const {
    return std::ranges::any_of(kMakerFigures,
                               [&](MakerFigure figure) { return std::isfinite(this->*figure); });
}

void Battery::setLimits(const MakerLimits& limits) {
    limits_ = limits;
    combine();
}

void Battery::setOwnCurve(const OwnCurve& curve) {
    ownCurve_ = curve;
    combine();
}

void Battery::combine() {
    own_.reset();
    const auto found = findChemistry(chemistry);
    if (!found) return;
    const MakerLimits limits = acceptedOf(limits_, **found);
    if (!limits.any() && ownCurve_.empty()) return;
    auto own = std::make_shared<Chemistry>(**found);
    const auto take = [](double maker, double& into) {
        if (std::isfinite(maker)) into = maker;
    };
    // The fault limit keeps its distance from the set voltage, and never falls below the usual one.
    if (std::isfinite(limits.set_V))
        own->fault_V = std::max(own->fault_V, limits.set_V + (own->fault_V - own->set_V));
    take(limits.set_V, own->set_V);
    take(limits.dischargeFloor_V, own->dischargeFloor_V);
    // What rests under its own floor was driven too far, but for nickel's recovery after it.
    own->overdrained_V = std::min(own->overdrained_V, own->dischargeFloor_V);
    own->overdischarge_V = std::min(own->overdischarge_V, own->dischargeFloor_V);
    take(limits.chargeMin_C, own->chargeMin_C);
    take(limits.chargeMax_C, own->chargeMax_C);
    take(limits.dischargeMax_C, own->dischargeMax_C);
    take(limits.chargeC, own->chargeC);
    take(limits.balancerFrom_V, own->balancerFrom_V);
    if (limits.any()) own->sources = "Maker's figures from the battery card; else: " + own->sources;
    if (!ownCurve_.empty()) {
        own->ocv = OpenCircuitCurve(ownCurve_.soc, ownCurve_.voltage_V);
        own->ocvSpread_V = std::max(0.002, ownCurve_.uncertainty_V);
        own->sources = "Open-circuit curve from this battery's own logs. " + own->sources;
    }
    own->settle();
    own_ = std::move(own);
}

const Chemistry* Battery::chemistryData() const {
    if (own_ && own_->id == chemistry) return own_.get();
    const auto found = findChemistry(chemistry);
    return found ? *found : nullptr;
}

std::optional<ChargeRange> restedCharge(const Battery& battery, double perCell_V,
                                        double uncertainty_V) {
    const Chemistry* c = battery.chemistryData();
    if (c == nullptr || c->ocv.empty() || !std::isfinite(perCell_V)) return std::nullopt;
    constexpr double kLayered_V = 0.040, kFlat_V = 0.010, kNickel_V = 0.030;
    const double usual_V = c->nickel() ? kNickel_V : c->flat ? kFlat_V : kLayered_V;
    const double curve_V =
        battery.ownCurve().empty() ? std::max(usual_V, 2 * c->ocvSpread_V) : 2 * c->ocvSpread_V;
    const double half_V =
        std::hypot(curve_V, std::isfinite(uncertainty_V) ? 2 * uncertainty_V : 0.0);
    constexpr double kLeast = 0.01;
    const double middle = c->ocv.soc(perCell_V);
    return ChargeRange{
        std::clamp(std::min(c->ocv.soc(perCell_V - half_V), middle - kLeast), 0., 1.),
        std::clamp(std::max(c->ocv.soc(perCell_V + half_V), middle + kLeast), 0., 1.)};
}

std::string Battery::capacityWords() const {
    // Within a twentieth of the label it need not be said.
    constexpr double kAlike = 0.05;
    if (!(measured_Ah > 0) || std::abs(measured_Ah - rated_Ah) <= kAlike * rated_Ah) return {};
    return phrase(" of the {} it holds", shortValue(measured_Ah, "Ah"));
}

Expected<void> Battery::check() const {
    if (!chemistry.empty()) {
        const auto found = findChemistry(chemistry);
        if (!found) return tl::unexpected<Error>(found.error());
    }
    const auto outside = [](const char* field, const char* accepted) {
        return fail(ErrorKind::InvalidArgument,
                    std::string("The ") + field + phrase(" is out of range."), field, accepted);
    };
    if (series < 0 || series > 1000)
        return outside("series count", "a whole number from 1 to 1000.");
    if (parallel < 0 || parallel > 1000)
        return outside("parallel count", "a whole number from 1 to 1000.");
    if (!(rated_Ah >= 0 && rated_Ah <= 1e5))
        return outside("rated capacity", "a number of Ah above 0, up to 100 000.");
    if (!(measured_Ah >= 0 && measured_Ah <= 1e5))
        return outside("measured capacity", "a number of Ah above 0, up to 100 000.");
    if (!(mass_kg >= 0 && mass_kg <= 1e5)) return outside("mass", "a number of kg above 0.");
    if (hasAmbient() && !(ambient_C >= -60 && ambient_C <= 100))
        return outside("ambient temperature", "a number of °C from −60 to 100.");
    return {};
}

Battery completeBattery(const Battery& known, std::span<const double> voltage_V,
                        std::span<const double> current_A, int cellColumns) {
    Battery out = known;
    if (voltage_V.empty()) return out;
    // High and low ends without the last permille, so that one wild sample decides nothing.
    std::vector<double> sorted;
    const std::size_t stride = std::max<std::size_t>(1, voltage_V.size() / 20000);
    for (std::size_t i = 0; i < voltage_V.size(); i += stride)
        if (std::isfinite(voltage_V[i])) sorted.push_back(voltage_V[i]);
    if (sorted.empty()) return out;  // nothing to recognise it by
    std::sort(sorted.begin(), sorted.end());
    const double high =
        sorted[static_cast<std::size_t>(0.998 * static_cast<double>(sorted.size() - 1))];
    bool charges = false;
    for (std::size_t i = 0; i < current_A.size() && !charges; i += stride)
        charges = current_A[i] > 0.01;

    if (out.series == 0 && cellColumns > 1) {
        out.series = cellColumns;
        out.assumed.push_back("series");
    }
    const auto cellsFor = [&](const Chemistry& c) {
        const double top = c.nickel() ? 1.45 : c.set_V;
        const double full = charges ? top : c.nickel() ? 1.35 : c.set_V - 0.03;
        const int n = std::max(1, static_cast<int>(std::lround(high / full)));
        // Without a charge no charger can be at fault: a cell is under its limit then.
        return charges || c.nickel() ? n
                                     : std::max(n, static_cast<int>(std::ceil(high / c.fault_V)));
    };
    if (out.chemistry.empty()) {
        out.assumed.push_back("chemistry");
        // Where the voltage fits one kind clearly better, that kind; the first of them otherwise.
        // The high-voltage kind is never guessed: the guess would hide an over-voltage.
        double bestMiss = 1e9;
        for (const Chemistry& c : chemistries()) {
            if (std::isnan(c.guessHandicap)) continue;
            const int n = out.series > 0 ? out.series : cellsFor(c);
            const double perCell = high / n;
            const double top = c.nickel() ? 1.45 : c.set_V;
            double miss = std::abs(perCell - top) / top;
            if (c.nickel() && out.series == 0 && high > 1.75) miss += 0.08;
            miss += c.guessHandicap;
            if (n > 6) miss += 0.002 * n;
            if (miss < bestMiss - 1e-9) {
                bestMiss = miss;
                out.chemistry = c.id;
            }
        }
        out.setLimits(out.limits());  // the maker's figures hold for a guessed kind too
    }
    if (out.series == 0) {
        if (const Chemistry* c = out.chemistryData()) {
            out.series = cellsFor(*c);
            out.assumed.push_back("series");
        }
    }
    return out;
}

}  // namespace nk
