#include "fade.h"

#include <gsl/gsl_cdf.h>

#include <algorithm>
#include <cmath>

#include "fade_fit.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

constexpr double kFarthest = 1000;  ///< ranges of the table

/// How far and how sure a component is of beta·h.
double studentPoint(const FadeComponent& c, const std::array<double, 3>& h, double& sd) {
    double mean = 0;
    double variance = 0;
    for (int i = 0; i < c.size; ++i) {
        mean += c.beta[static_cast<std::size_t>(i)] * h[static_cast<std::size_t>(i)];
        for (int j = 0; j < c.size; ++j)
            variance += h[static_cast<std::size_t>(i)] * h[static_cast<std::size_t>(j)] *
                        c.covariance[static_cast<std::size_t>(3 * i + j)];
    }
    sd = std::sqrt(std::max(variance, 1e-300));
    return mean;
}

/// The smallest x in [a, b] with f(x) ≥ wanted, f rising or nearly so.
template <class F>
double firstReaching(double a, double b, double wanted, const F& f) {
    for (int k = 0; k < 60 && b - a > 1e-9 * std::max(std::abs(a), std::abs(b)); ++k) {
        const double middle = 0.5 * (a + b);
        (f(middle) >= wanted ? b : a) = middle;
    }
    return b;
}

}  // namespace

std::string toString(FadeLaw law) {
    switch (law) {
        case FadeLaw::Linear:
            return "linear";
        case FadeLaw::SquareRoot:
            return "sqrt";
        case FadeLaw::SquareRootAndLinear:
            return "sqrt_linear";
        case FadeLaw::Power:
            return "power";
        case FadeLaw::TwoSlopes:
            return "two_slopes";
    }
    return {};
}

double FadeModel::unknownAt(double x) const {
    const double ahead = (x - last) / std::max(last - first, 1e-12);
    if (!(ahead > 0)) return 0;
    const double wandered = walk * std::sqrt(ahead);
    if (!std::isfinite(rivalSlope)) return wandered;
    double laws = 0;
    double unused = 0;
    for (const FadeComponent& c : parts)
        laws += c.weight * studentPoint(c, fadeBasis(c.law, c.shape, (x - origin) / scale), unused);
    // Only what is more than the rival's own scatter, and no more than all that is lost ahead.
    const double reach = x - last;
    const double scatter = std::hypot(rivalUncertainty, rivalSlopeUncertainty * reach);
    const double apart = std::abs(rival + rivalSlope * reach - laws);
    const double lost = std::abs(rivalSlope) * reach;
    const double bent = std::min(lost, std::sqrt(std::max(0.0, apart * apart - scatter * scatter)));
    // Where it has bent, it may bend otherwise: a share of the loss ahead, in full from a tenth on.
    // Set on even seeds of laws that are none of the five, judged on odd ones (docs/methods.md).
    constexpr double kOtherwise = 0.25, kInFull = 0.1;
    const double otherwise =
        lost > 0 ? kOtherwise * lost * std::min(1.0, bent / (kInFull * lost)) : 0;
    return std::hypot(wandered, std::min(std::hypot(bent, otherwise), kOtherwise * lost));
}

FadeBand FadeModel::at(double x) const {
    if (empty()) return {};
    const double unknown = unknownAt(x);
    const double u = (x - origin) / scale;
    double low = kNaN;
    double high = kNaN;
    std::vector<double> means, sds;
    for (const FadeComponent& c : parts) {
        double sd = 0;
        means.push_back(studentPoint(c, fadeBasis(c.law, c.shape, u), sd));
        sd = std::hypot(sd, unknown);
        sds.push_back(sd);
        const double reach = sd * std::min(200.0, gsl_cdf_tdist_Pinv(0.9999, c.freedom));
        low = std::isfinite(low) ? std::min(low, means.back() - reach) : means.back() - reach;
        high = std::isfinite(high) ? std::max(high, means.back() + reach) : means.back() + reach;
    }
    const auto under = [&](double y) {
        double sum = 0;
        for (std::size_t k = 0; k < parts.size(); ++k)
            sum += parts[k].weight * gsl_cdf_tdist_P((y - means[k]) / sds[k], parts[k].freedom);
        return sum;
    };
    return {firstReaching(low, high, 0.025, under), firstReaching(low, high, 0.5, under),
            firstReaching(low, high, 0.975, under)};
}

double FadeModel::reached(double x, const FadeEnd& end) const {
    const double u = (x - origin) / scale;
    const double u0 = (first - origin) / scale;
    const bool figure = std::isfinite(end.absolute);
    // The first value is as little a law's own as the rest.
    constexpr double kBeginning = 1;
    const double unknown =
        std::hypot(unknownAt(x), !figure && x > last ? kBeginning * end.fraction * walk : 0.0);
    double sum = 0;
    for (const FadeComponent& c : parts) {
        std::array<double, 3> h = fadeBasis(c.law, c.shape, u);
        if (!figure) {
            const auto h0 = fadeBasis(c.law, c.shape, u0);
            for (std::size_t k = 0; k < 3; ++k) h[k] -= end.fraction * h0[k];
        }
        double sd = 0;
        const double above = studentPoint(c, h, sd) - (figure ? end.absolute : 0);
        sd = std::hypot(sd, unknown);
        sum += c.weight * gsl_cdf_tdist_P((rising ? above : -above) / sd, c.freedom);
    }
    return sum;
}

FadeBand FadeModel::crossing(const FadeEnd& end) const {
    FadeBand out;
    if (empty()) return out;
    // Steps that grow, so that the first place is found even where the curve bends.
    const double span = last - first;
    const double wanted[] = {0.025, 0.5, 0.975};
    double* into[] = {&out.low, &out.middle, &out.high};
    int next = 0;
    double before = first;
    double step = span / 50;
    while (next < 3 && before < first + kFarthest * span) {
        const double here = before + step;
        const double p = reached(here, end);
        while (next < 3 && p >= wanted[next]) {
            *into[next] = firstReaching(before, here, wanted[next],
                                        [&](double x) { return reached(x, end); });
            ++next;
        }
        before = here;
        if (before > last) step *= 1.05;
    }
    return out;
}

Expected<FadeResult> fitFade(const FadeSeries& series, const FadeEnd& end) {
    const std::size_t all = series.at.size();
    bool whole = series.value.size() == all;
    for (const auto& c : series.conditions) whole = whole && c.size() == all;
    if (!whole)
        return fail(ErrorKind::InvalidArgument, phrase("The columns are of different lengths."));
    for (std::size_t k = 0; k < all; ++k) {
        if (!std::isfinite(series.at[k]) || (k > 0 && !(series.at[k] > series.at[k - 1])))
            return fail(ErrorKind::InvalidArgument,
                        phrase("The cycles do not rise at row {}.", k + 1));
        if (!(series.value[k] > 0) || !std::isfinite(series.value[k]))
            return fail(ErrorKind::InvalidArgument,
                        phrase("The figure of row {} is not above 0.", k + 1));
    }
    if (all < 5)
        return fail(
            ErrorKind::InvalidArgument,
            phrase("Too few cycles: {}. From five on a line can be told from chance.", all));

    FadeResult out;
    out.odd = oddRows(series.value);
    std::vector<char> use(all, 1);
    for (const std::size_t k : out.odd) use[k] = 0;
    if (!series.rising) out.ranIn = runningIn(series.value, use);
    for (const std::size_t k : out.ranIn) use[k] = 0;
    FadeSeries kept;
    kept.rising = series.rising;
    kept.resolution = series.resolution;
    kept.conditions.resize(series.conditions.size());
    for (std::size_t k = 0; k < all; ++k) {
        if (!use[k]) continue;
        kept.at.push_back(series.at[k]);
        kept.value.push_back(series.value[k]);
        for (std::size_t c = 0; c < series.conditions.size(); ++c)
            kept.conditions[c].push_back(series.conditions[c][k]);
    }
    fitLaws(kept, series.at.front(), out);
    if (out.model.empty()) {
        out.caveats.push_back(phrase("No law could be fitted to {} cycles.", kept.at.size()));
        return out;
    }

    const FadeBand begin = out.model.at(out.model.first);
    out.initial = begin.middle;
    out.initialLow = begin.low;
    out.initialHigh = begin.high;
    const double lastValue = out.model.at(out.model.last).middle;
    const double sign = series.rising ? -1 : 1;
    const double lost = sign * (begin.middle - lastValue);
    const double toLose =
        sign *
        (begin.middle - (std::isfinite(end.absolute) ? end.absolute : end.fraction * begin.middle));
    out.lossPerUnit = lost / begin.middle / (out.model.last - out.model.first);
    for (LawFit& law : out.laws) {
        FadeModel one = out.model;
        std::erase_if(one.parts, [&](const FadeComponent& c) { return c.law != law.law; });
        double sum = 0;
        for (const FadeComponent& c : one.parts) sum += c.weight;
        if (!(sum > 0)) continue;
        for (FadeComponent& c : one.parts) c.weight /= sum;
        law.end = one.crossing(end).middle;
    }
    if (!(toLose > 0)) {
        out.seen = 1;
        out.caveats.push_back(phrase(
            "The first cycle is past the chosen end already: {:.4g} at the start.", begin.middle));
        return out;
    }
    out.seen = lost / toLose;
    if (out.seen < 1.0 / 3) {
        out.caveats.push_back(
            lost <= 0
                ? phrase("Nothing is lost yet: it went the other way over these cycles. No "
                         "end can be told.")
                : phrase("Only {:.0f} % of the loss to the end has been seen; under a third no "
                         "end can be told that somebody could defend.",
                         100 * out.seen));
        return out;
    }
    out.end = out.model.crossing(end);
    if (!std::isfinite(out.end.middle))
        out.caveats.push_back(
            phrase("The curve flattens: no crossing of the end can be told from it."));
    else if (!std::isfinite(out.end.high))
        out.caveats.push_back(
            phrase("There is no upper bound: the curve may flatten before the end."));
    if (out.end.middle > out.model.last && !out.kneeSuspected)
        out.caveats.push_back(
            phrase("Carried on beyond the last cycle: a knee that has not begun cannot be seen."));
    return out;
}

}  // namespace nk
