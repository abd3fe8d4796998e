// A Recording is what a logger wrote, as contiguous columns in SI-like units. It is immutable
// after import and safe to share between threads. Positive current charges the battery.
#pragma once

#include <cmath>
#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "quantity/reading.h"

namespace nk {

enum class Channel { Voltage, Current, Temperature, Time };

/// Something in the file that looks wrong. Flagged and listed, never silently dropped.
struct Problem {
    std::int64_t line = 0;  ///< 1-based line of the file; 0 when it is no single line
    double time_s = kNaN;   ///< recording time; NaN for a row that was skipped
    std::string kind;       ///< bad_row, gap, logger_restart, repeat, out_of_order, spike, …
    std::string message;    ///< in the language of whoever reads
    std::string told = {};  ///< the same, written down (quantity/phrase.h), to be kept
};

/// A sample whose value is not used as logged. The original stays here and in the file's bytes.
struct Repair {
    std::size_t index = 0;
    Channel channel = Channel::Voltage;
    double original = kNaN;
    std::string kind;  ///< spike or drop_out; the column holds the neighbours' interpolation
};

/// Between samples `before` and `before + 1` the logger was silent.
struct Gap {
    std::size_t before = 0;
    double duration_s = 0;
    bool restart = false;  ///< the clock started again; the true duration is unknown
};

/// Resolution and noise of one channel, found from the log itself.
struct ChannelQuality {
    double resolution = 0;  ///< smallest difference that occurs often
    double noise = 0;       ///< standard deviation of sample-to-sample noise
    double follow = 0;  ///< lag-one correlation of the noise: 0 white, more where it was filtered

    /// Noise and quantisation together, one sample.
    double sigma() const { return std::sqrt(noise * noise + resolution * resolution / 12); }
    /// What rounding keeps of its q/√12 however many samples are averaged: all without noise, next
    /// to nothing from half a step of it on (the first harmonic of the staircase under normal
    /// noise, exp(−2π²σ²/q²)).
    double rounding() const {
        if (resolution <= 0) return 0;
        const double ratio = noise / resolution;
        return resolution / std::sqrt(12.0) * std::exp(-19.739 * ratio * ratio);
    }
    /// Standard uncertainty of the mean of n samples in a row.
    double ofMean(double n) const {
        const double whole = rounding();
        const double white = resolution * resolution / 12 - whole * whole;
        const double filtered = noise * noise * std::min(n, (1 + follow) / (1 - follow));
        return std::sqrt(whole * whole + (white + filtered) / std::max(n, 1.0));
    }
};

/// Filled by a reader or a simulator, then frozen by Recording::make.
struct RecordingData {
    std::vector<double> time_s;         ///< non-decreasing, seconds from the first good row
    std::vector<double> voltage_V;      ///< whole battery
    std::vector<double> current_A;      ///< positive charges
    std::vector<double> temperature_C;  ///< empty when not logged; NaN where a cell was blank
    std::vector<std::vector<double>> cells_V;
    std::vector<std::vector<double>> moreTemperatures_C;
    std::vector<double> counter_Ah;  ///< the logger's own counter, as logged; empty when none
    std::vector<double> counter_Wh;
    double textStep_V = 0;  ///< last decimal written in the file, in V; 0 when unknown
    double textStep_A = 0;
    double textStep_C = 0;
    std::vector<Problem> problems;
    std::vector<Repair> repairs;
    std::vector<Gap> gaps;
};

/// What a log's own columns say of its channels. Signs do not matter to it.
struct ChannelQualities {
    ChannelQuality voltage, current, temperature;
};

class Recording {
  public:
    /// Asserts that voltage and current are as long as time and that optional columns are
    /// either empty or as long.
    static std::shared_ptr<const Recording> make(RecordingData data);
    /// The same where the qualities of these very columns are known already.
    static std::shared_ptr<const Recording> make(RecordingData data, const ChannelQualities& known);

    std::size_t size() const { return data_.time_s.size(); }
    bool empty() const { return data_.time_s.empty(); }
    double duration_s() const;

    std::span<const double> time_s() const { return data_.time_s; }
    std::span<const double> voltage_V() const { return data_.voltage_V; }
    std::span<const double> current_A() const { return data_.current_A; }
    std::span<const double> temperature_C() const { return data_.temperature_C; }
    const std::vector<std::vector<double>>& cells_V() const { return data_.cells_V; }
    const std::vector<std::vector<double>>& moreTemperatures_C() const {
        return data_.moreTemperatures_C;
    }
    std::span<const double> counter_Ah() const { return data_.counter_Ah; }
    std::span<const double> counter_Wh() const { return data_.counter_Wh; }
    bool hasTemperature() const { return !data_.temperature_C.empty(); }

    const std::vector<Problem>& problems() const { return data_.problems; }
    const std::vector<Repair>& repairs() const { return data_.repairs; }
    const std::vector<Gap>& gaps() const { return data_.gaps; }

    const ChannelQuality& voltageQuality() const { return voltage_; }
    const ChannelQuality& currentQuality() const { return current_; }
    const ChannelQuality& temperatureQuality() const { return temperature_; }
    /// Median of the time steps, s.
    double usualInterval_s() const { return interval_s_; }

    /// Index of the sample nearest to time t; 0 for an empty recording.
    std::size_t nearest(double t_s) const;
    /// First index whose time is not less than t.
    std::size_t lowerBound(double t_s) const;

    const RecordingData& data() const { return data_; }

  private:
    RecordingData data_;
    ChannelQuality voltage_, current_, temperature_;
    double interval_s_ = 0;
};

using RecordingPtr = std::shared_ptr<const Recording>;

/// Resolution and noise of a column. `textStep` is the last written decimal (0: unknown).
/// `narrow`: of a few levels only (temperatures), whose step is their common divisor whatever the
/// noise. Looks at no more than about 60,000 samples, spread over the column.
ChannelQuality estimateQuality(std::span<const double> column, double textStep,
                               bool narrow = false);
/// Of all channels of `data`.
ChannelQualities estimateQualities(const RecordingData& data);

}  // namespace nk
