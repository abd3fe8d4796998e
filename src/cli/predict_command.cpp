#include "predict_command.h"

#include "options.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <ostream>
#include <tuple>

#include "formats/importer.h"
#include "history/open_recording.h"
#include "history/own_models.h"
#include "ownmodel/predict.h"
#include "quantity/format.h"
#include "report/json_writer.h"

namespace nk {

PredictCommand::PredictCommand(CLI::App& app, int& status, std::ostream& out, std::ostream& err)
    : out_(out), err_(err) {
    CLI::App* command = app.add_subcommand(
        "predict", "What this battery would do, by a model learned from its own logs");
    auto* from = command->add_option("--from", logs_, "logs of this battery");
    command
        ->add_option("--book", ofBook_,
                     "BOOK BATTERY: its own model as the book keeps it, instead of --from")
        ->expected(2)
        ->excludes(from);
    command
        ->add_option("--do", steps_,
                     "charge:2A:4.20V:0.1A, discharge:5A:3.0V, power:20W:3.0V, rest:30min (volts a "
                     "cell)")
        ->required();
    command
        ->add_option(
            "--start-soc", startSoc_,
            "1: full at the set voltage and rested; left out: full, or empty when the first "
            "step is a charge")
        ->check(within(0.0, 1.02));
    battery_.addTo(*command);
    reading_.addTo(*command);
    command->add_flag("--json", json_, "JSON instead of text (schema narrow-knee/predict/1)");
    command->callback([this, &status] { status = run(); });
}

int PredictCommand::run() {
    const auto input = commandInput(battery_, reading_);
    if (!input) return err_ << input.error().text() << '\n', 2;
    std::vector<PredictStep> steps;
    for (const std::string& text : steps_) {
        const auto step = readPredictStep(text);
        if (!step) return err_ << step.error().text() << '\n', 2;
        steps.push_back(*step);
    }
    if (logs_.empty() && ofBook_.empty()) throw CLI::RequiredError("--from or --book");
    std::vector<RecordingPtr> recordings;
    std::vector<Steps> found;
    Battery battery = input->battery;
    if (!ofBook_.empty()) {
        auto book = BenchBook::open(ofBook_[0], false);
        if (!book) return err_ << book.error().text() << '\n', 1;
        const auto entry = findBattery(**book, ofBook_[1]);
        if (!entry) return err_ << entry.error().text() << '\n', 1;
        const double ambient = battery.ambient_C;
        battery = entry->battery;
        if (input->battery.hasAmbient()) battery.ambient_C = ambient;
        const auto kept = ownModelOf(**book, entry->id);
        if (!kept) return err_ << kept.error().text() << '\n', 1;
        return tell(kept->model, kept->learnedFrom.size(), battery, steps);
    }
    std::vector<Imported> read;
    for (const std::string& file : logs_) {
        auto log = readLogFile(file, input->options);
        if (!log) return err_ << log.error().text() << '\n', 1;
        read.push_back(std::move(*log));
    }
    // The newest first, however they were named: their order changes nothing.
    std::ranges::stable_sort(read, [](const Imported& a, const Imported& b) {
        const auto key = [](const Imported& i) {
            const Recording& r = *i.recording;
            return std::tuple(std::isfinite(i.startEpoch_s) ? -i.startEpoch_s : 1e18,
                              -r.duration_s(), r.size(), r.empty() ? 0.0 : r.voltage_V()[0]);
        };
        return key(a) < key(b);
    });
    found.reserve(read.size());
    for (const Imported& log : read) {
        recordings.push_back(log.recording);
        const Recording& r = *log.recording;
        if (battery.series < 1)
            battery = completeBattery(battery, r.voltage_V(), r.current_A(),
                                      static_cast<int>(r.cells_V().size()));
        found.push_back(findSteps(r, battery));
    }
    std::vector<ModelLog> logs;
    for (std::size_t k = 0; k < recordings.size(); ++k)
        logs.push_back({recordings[k].get(), &found[k]});
    const auto model = fitOwnModel(logs, battery);
    if (!model) return err_ << model.error().text() << '\n', 1;
    return tell(*model, logs.size(), battery, steps);
}

int PredictCommand::tell(const OwnModel& own, std::size_t logs, const Battery& battery,
                         const std::vector<PredictStep>& steps) {
    const OwnModel* const model = &own;
    PredictSetting setting;
    setting.startSoc = startSoc_ >= 0 ? startSoc_ : steps.front().charges() ? 0 : 1;
    setting.ambient_C = battery.hasAmbient()
                            ? battery.ambient_C
                            : std::clamp(25.0, model->evidence.t_low_C, model->evidence.t_high_C);
    const auto told = predict(*model, steps, setting);
    if (!told) return err_ << told.error().text() << '\n', 1;
    if (!json_) {
        out_ << fmt::format(
            "Learned from {} logs: {:.3f} Ah, misses what it did not see by {:.1f} mV a "
            "cell.\n",
            logs, model->capacity_Ah, 1000 * model->leftOutRms_V);
        for (const std::string& c : model->caveats) out_ << "  " << c << '\n';
        for (const PredictedStep& p : *told) {
            out_ << fmt::format(
                "{}: {} ± {}, {:.3f} ± {:.3f} Ah, up to {:.0f} °C{}\n", p.step.text,
                std::isfinite(p.duration_s) ? durationText(p.duration_s) : "no end",
                std::isfinite(p.uncertainty_s) ? durationText(2 * p.uncertainty_s) : "?",
                p.charge_Ah, 2 * p.uncertainty_Ah, p.maxTemperature_C,
                p.extrapolated ? " (extrapolated)" : "");
            for (const std::string& c : p.caveats) out_ << "  " << c << '\n';
        }
        return 0;
    }
    JsonWriter out;
    const auto pair = [&](double a, double b) {
        out.beginList();
        out.number(a);
        out.number(b);
        out.endList();
    };
    out.beginObject();
    out.key("schema").text("narrow-knee/predict/1");
    out.key("model").beginObject();
    out.key("capacity_Ah").number(model->capacity_Ah);
    out.key("r0_25C_ohm").number(model->series * model->r0At(0.5 * model->scale_Ah, 25));
    out.key("rc").beginList();
    for (std::size_t k = 0; k < 2; ++k) {
        out.beginObject();
        out.key("r_ohm").number(model->series * model->r_ohm[k]);
        out.key("tau_s").number(model->tau_s[k]);
        out.endObject();
    }
    out.endList();
    out.key("activation_J_mol").number(model->activation_J_mol);
    out.key("left_out_rms_mV_per_cell").number(1000 * model->leftOutRms_V);
    out.key("evidence").beginObject();
    out.key("c_rate");
    pair(model->evidence.c_low, model->evidence.c_high);
    out.key("temperature_C");
    pair(model->evidence.t_low_C, model->evidence.t_high_C);
    out.key("soc");
    pair(model->evidence.soc_low, model->evidence.soc_high);
    out.endObject();
    out.key("caveats").beginList();
    for (const std::string& c : model->caveats) out.text(c);
    out.endList();
    out.endObject();
    out.key("start_soc").number(setting.startSoc);
    out.key("ambient_C").number(setting.ambient_C);
    out.key("steps").beginList();
    for (const PredictedStep& p : *told) {
        out.beginObject();
        out.key("do").text(p.step.text);
        out.key("duration_s").number(p.duration_s);
        out.key("uncertainty_s").number(p.uncertainty_s);
        out.key("duration_interval_95_s");
        pair(p.duration_s - 2 * p.uncertainty_s, p.duration_s + 2 * p.uncertainty_s);
        out.key("knee_s").number(p.knee_s);
        out.key("charge_Ah").number(p.charge_Ah);
        out.key("uncertainty_Ah").number(p.uncertainty_Ah);
        out.key("charge_interval_95_Ah");
        pair(p.charge_Ah - 2 * p.uncertainty_Ah, p.charge_Ah + 2 * p.uncertainty_Ah);
        out.key("max_temperature_C").number(p.maxTemperature_C);
        out.key("end_voltage_V").number(model->series * p.endVoltage_V);
        out.key("extrapolated").boolean(p.extrapolated);
        out.key("caveats").beginList();
        for (const std::string& c : p.caveats) out.text(c);
        out.endList();
        out.endObject();
    }
    out.endList();
    out.endObject();
    out_ << out.done();
    return 0;
}

}  // namespace nk
