// A table's time: which column it is and what its numbers or stamps may mean.
#include <algorithm>
#include <cmath>

#include "candidate_settings.h"
#include "quantity/phrase.h"

namespace nk {

std::size_t indexOf(const std::vector<Column>& columns, Role role) {
    for (std::size_t k = 0; k < columns.size(); ++k)
        if (columns[k].role == role) return k;
    return columns.size();
}

bool rises(const std::vector<double>& values, bool& counts) {
    double last = kNaN;
    std::size_t up = 0;
    std::size_t all = 0;
    std::size_t ones = 0;
    std::size_t runs = 0;  // the values are short runs of a long column
    counts = true;
    for (const double x : values) {
        if (!std::isfinite(x)) continue;
        if (std::isfinite(last)) {
            ++all;
            up += x >= last ? 1 : 0;
            ones += x == last + 1 ? 1 : 0;
            runs += x > last + 20 ? 1 : 0;
            counts &= x == std::floor(x) && x > last;
        }
        last = x;
    }
    // A number here and there may be missing.
    counts &= (ones + runs) * 10 >= all * 9 && runs * 10 <= all;
    return all > 2 && up * 100 >= all * 97 && values.front() != last;
}

Scale scaleOf(const std::vector<double>& values) {
    Scale out;
    std::vector<double> sizes;
    bool first = true;
    for (const double v : values) {
        if (!std::isfinite(v)) continue;
        out.whole &= v == std::floor(v);
        out.least = first ? v : std::min(out.least, v);
        out.most = first ? v : std::max(out.most, v);
        first = false;
        if (v != 0) sizes.push_back(std::abs(v));
    }
    if (!sizes.empty()) {
        const auto middle = sizes.begin() + static_cast<std::ptrdiff_t>(sizes.size() / 2);
        std::nth_element(sizes.begin(), middle, sizes.end());
        out.median = *middle;
    }
    return out;
}

namespace {

/// The range of all values but one in thirty at either end.
std::pair<double, double> mostOf(std::vector<double> values) {
    std::erase_if(values, [](double x) { return !std::isfinite(x); });
    if (values.empty()) return {kNaN, kNaN};
    std::ranges::sort(values);
    const std::size_t off = values.size() / 30;
    return {values[off], values[values.size() - 1 - off]};
}

/// A number column as time: what its size and steps may mean.
std::vector<Setting> timeSettings(const std::vector<double>& values, const Column& column) {
    const Scale scale = scaleOf(values);
    const auto factor = [&](double f, double prior, const std::string& words) {
        return Setting{prior, [=](Hypothesis& h) {
                           h.timeFactor = f;
                           if (!words.empty()) h.said.push_back(words);
                       }};
    };
    const std::string title = column.title;
    // A total below the table is no moment of it.
    const auto [low, high] = mostOf(values);
    const double first = std::abs(low);
    constexpr double kStamp = 2;  // no row number is of our years by chance
    if (first > 1e17 && first < 3e18)
        return {factor(1e-9, kStamp, phrase("'{}' counts nanoseconds since 1970", title))};
    if (first > 5e14 && first < 3e15)
        return {factor(1e-6, kStamp, phrase("'{}' counts microseconds since 1970", title))};
    if (first > 5e11 && first < 3e12)
        return {factor(1e-3, kStamp, phrase("'{}' counts milliseconds since 1970", title))};
    if (first > 5e8 && first < 3e9 && !(column.unit && column.unit->factor != 1))
        return {factor(1, kStamp, phrase("'{}' counts seconds since 1970", title))};
    if (column.unit && column.unit->quantity == Quantity::Time)
        return {factor(column.unit->factor, 0, "")};
    std::vector<Setting> out = {factor(1, 0, phrase("'{}' has no unit: taken as {}", title, "s"))};
    // Days since 1899-12-30, as spreadsheets count: of our times, and by small parts of a day.
    if (!scale.whole && low > 32000 && high < 75000 && high - low < 2000)
        out.push_back(factor(86400, 2.5, phrase("'{}' counts days, as a spreadsheet does", title)));
    if (scale.whole && scale.most > 5000)
        out.push_back(factor(1e-3, -1.2, phrase("'{}' has no unit: taken as {}", title, "ms")));
    if (!scale.whole || scale.most < 6000)
        out.push_back(factor(60, -2.0, phrase("'{}' has no unit: taken as {}", title, "min")));
    if (!scale.whole && scale.most < 300)
        out.push_back(factor(3600, -2.0, phrase("'{}' has no unit: taken as {}", title, "h")));
    return out;
}

}  // namespace

void setTime(Hypothesis& h, const std::vector<ColumnFacts>& facts, std::vector<Setting>& settings,
             const ReadOptions& options) {
    settings.clear();
    const std::size_t k = indexOf(h.columns, Role::Time);
    if (k == h.columns.size()) return;
    const std::size_t date = indexOf(h.columns, Role::Date);
    const ColumnFacts& f = facts[k];
    if (f.times.empty()) {
        settings = timeSettings(f.values(h.decimal), h.columns[k]);
        return;
    }
    const bool clock = f.times.front().shape == TimeShape::Clock;
    std::vector<TimeStyle> styles = f.times;
    // A date of its own in another column has the order, the clock its own form.
    if (clock && date < h.columns.size()) {
        styles.clear();
        for (const TimeStyle& c : f.times)
            for (const TimeStyle& d : facts[date].times) {
                TimeStyle both = c;
                both.order = d.order;
                styles.push_back(both);
            }
    }
    double prior = 0;
    for (TimeStyle style : styles) {
        if (options.dateOrder && style.order != *options.dateOrder &&
            (style.shape == TimeShape::DateTime || date < h.columns.size()) && styles.size() > 1 &&
            *options.dateOrder != DateOrder::YearMonthDay)
            continue;
        style.decimal = h.decimal;
        const std::string title = h.columns[k].title;
        const bool hoursNamed = lowered(title).find("h:mm") != std::string::npos;
        if (style.twoPartIsHours && !hoursNamed && date == h.columns.size()) prior -= 0.6;
        if (hoursNamed && !style.twoPartIsHours && styles.size() > 1) continue;
        settings.push_back({prior, [style](Hypothesis& out) { out.time = style; }});
        prior -= 0.2;  // the day before the month is the likelier
    }
}

std::vector<Setting> findTime(const Hypothesis& h, const std::vector<ColumnFacts>& facts) {
    std::vector<Setting> out;
    const auto take = [&](std::size_t k, double prior, bool say) {
        out.push_back({prior, [k, say](Hypothesis& o) {
                           o.columns[k].role = Role::Time;
                           if (say)
                               o.said.push_back(phrase("'{}' rises all the time: taken as the time",
                                                       o.columns[k].title));
                       }});
    };
    for (std::size_t k = 0; k < h.columns.size(); ++k)
        if (h.columns[k].role == Role::Ignore && !facts[k].times.empty()) take(k, 0, false);
    if (!out.empty()) return out;
    for (std::size_t k = 0; k < h.columns.size(); ++k) {
        bool counts = false;
        const Role role = h.columns[k].role;
        const bool letter = h.columns[k].title == "T";  // the time where no other column is
        if ((role != Role::Ignore && !letter) || !facts[k].numeric(h.decimal) ||
            !rises(facts[k].values(h.decimal), counts))
            continue;
        take(k, counts ? -4 : k == 0 ? 0.3 : 0, true);
    }
    return out;
}

}  // namespace nk
