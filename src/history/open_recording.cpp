#include "open_recording.h"

#include <fmt/format.h>
#include <charconv>

#include <algorithm>
#include <map>

#include "book/convert_edits.h"
#include "book/hash.h"
#include "quantity/accuracy_text.h"
#include "quantity/harmless.h"
#include "quantity/number.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

/// Numbers to the last bit, so that no change of a card is too small to count.
std::string exact(double x) {
    if (!std::isfinite(x)) return "-";
    char digits[64];
    const auto end = std::to_chars(digits, digits + sizeof digits, x, std::chars_format::hex).ptr;
    return {digits, end};
}

std::string cardText(const Battery& b) {
    std::string out =
        fmt::format("{};{};{};{};{};{};{}", b.chemistry, b.series, b.parallel, exact(b.rated_Ah),
                    exact(b.mass_kg), exact(b.ambient_C), exact(b.label_C));
    for (const double x :
         {b.measured_Ah, b.charger.current_A, b.charger.cutoff_A, b.charger.charge_Ah,
          b.limits().set_V, b.limits().dischargeFloor_V, b.limits().chargeMin_C,
          b.limits().chargeMax_C, b.limits().dischargeMax_C, b.limits().chargeC,
          b.limits().balancerFrom_V})
        out += ";" + exact(x);
    const OwnCurve& own = b.ownCurve();
    if (own.empty()) return out;
    for (const auto& column : {own.soc, own.voltage_V})
        for (const double x : column) out += ";" + exact(x);
    return out + ";" + exact(own.uncertainty_V);
}

std::string accuracyBits(const InstrumentAccuracy& a) {
    return exact(a.voltageGain) + exact(a.voltageOffsetSteps) + exact(a.currentGain) +
           exact(a.currentOffsetSteps) + exact(a.temperature_C);
}

template <class Entry>
Error notThere(const std::string& what, const std::vector<const Entry*>& found,
               const std::string& asked, const std::string& where, std::string accepted) {
    if (found.empty())
        return {ErrorKind::NotFound,
                phrase("There is no {} '{}' in this book.", what, harmless(asked, 80)), where,
                std::move(accepted)};
    std::string list;
    for (const Entry* e : found) list += (list.empty() ? "" : ", ") + std::to_string(e->id);
    return {ErrorKind::InvalidArgument,
            phrase("There are several of the name '{}'.", harmless(asked, 80)), where,
            phrase("one of the numbers {}.", list)};
}

template <class Entry, class Name>
Expected<Entry> findOne(const std::vector<Entry>& all, const std::string& asked, Name name,
                        const std::string& what, const std::string& where) {
    std::vector<const Entry*> found;
    for (const Entry& e : all)
        if (name(e) == asked) found.push_back(&e);
    if (found.empty())
        for (const Entry& e : all)
            if (std::to_string(e.id) == asked) found.push_back(&e);
    if (found.size() == 1) return *found.front();
    std::string accepted;
    for (const Entry& e : all) {
        constexpr std::size_t kNamed = 200;
        if (accepted.size() > kNamed) {
            accepted += ", …";
            break;
        }
        accepted += (accepted.empty() ? "" : ", ") + std::to_string(e.id) + " " + name(e);
    }
    return tl::unexpected<Error>(
        notThere<Entry>(what, found, asked, where,
                        accepted.empty() ? phrase("a book that holds one.") : accepted + "."));
}

}  // namespace

std::string fingerprintOf(const Makings& m, const Registry& registry) {
    std::string text = fmt::format("3|{}|{}|{}", registry.version(), cardText(m.battery),
                                   accuracyBits(m.accuracy));
    for (const Correction& c : m.corrections)
        text += fmt::format("|c{};{};{};{};{}", toString(c.kind), exact(c.value),
                            exact(c.uncertainty), exact(c.from_s), exact(c.to_s));
    for (const StepEdit& e : m.edits) {
        if (e.made.empty())
            text += fmt::format("|e{};{};{}", toString(e.action), exact(e.at_s), toString(e.kind));
        else
            text += "|m" + madeText(e.made);
    }
    constexpr std::size_t kDigits = 24;
    return sha256(text).substr(0, kDigits);
}

namespace {

std::string countedSetting(std::int64_t battery) {
    return "counted:" + std::to_string(battery);
}

}  // namespace

double countedCapacity_Ah(BenchBook& book, std::int64_t batteryId) {
    const double holds =
        readNumber(book.setting(countedSetting(batteryId)).value_or("")).value_or(0);
    return holds > 0 && holds <= 1e5 ? holds : 0;
}

Expected<void> keepCounted(BenchBook& book, std::int64_t batteryId, double holds_Ah) {
    return book.keepComputed(countedSetting(batteryId),
                             holds_Ah > 0 ? fmt::format("{:.2g}", holds_Ah) : std::string());
}

Expected<std::vector<Makings>> allMakings(BenchBook& book,
                                          const std::vector<RecordingEntry>& recordings) {
    const auto batteries = book.batteries();
    const auto instruments = book.instruments();
    auto edits = book.allEdits();
    auto corrections = book.allCorrections();
    const auto usual = book.usualAccuracy();
    if (!batteries) return tl::unexpected<Error>(batteries.error());
    if (!instruments) return tl::unexpected<Error>(instruments.error());
    if (!edits) return tl::unexpected<Error>(edits.error());
    if (!corrections) return tl::unexpected<Error>(corrections.error());
    if (!usual) return tl::unexpected<Error>(usual.error());
    std::map<std::int64_t, Battery> cards;
    for (const RecordingEntry& e : recordings) cards.try_emplace(e.batteryId);
    for (const BatteryEntry& e : *batteries)
        if (const auto card = cards.find(e.id); card != cards.end()) {
            card->second = e.battery;
            card->second.measured_Ah = countedCapacity_Ah(book, e.id);
        }
    std::map<std::int64_t, const InstrumentAccuracy*> accuracies;
    for (const InstrumentEntry& e : *instruments) accuracies[e.id] = &e.instrument.accuracy;
    std::vector<Makings> out;
    out.reserve(recordings.size());
    for (const RecordingEntry& e : recordings) {
        Makings m;
        if (const auto card = cards.find(e.batteryId); card != cards.end())
            m.battery = card->second;
        const auto accuracy = accuracies.find(e.instrumentId);
        m.accuracy = accuracy != accuracies.end() ? *accuracy->second : *usual;
        if (const auto found = edits->find(e.id); found != edits->end())
            m.edits = std::move(found->second);
        if (const auto found = corrections->find(e.id); found != corrections->end())
            m.corrections = std::move(found->second);
        out.push_back(std::move(m));
    }
    return out;
}

Expected<OpenedRecording> openRecording(BenchBook& book, const RecordingEntry& entry,
                                        const Makings& makings) {
    auto samples = book.load(entry.id);
    if (!samples) return tl::unexpected<Error>(samples.error());
    OpenedRecording out{makings, entry, {}, {}, fingerprintOf(makings)};
    out.recording = applyCorrections(*samples, makings.corrections);
    out.analysis = analyse(*out.recording, makings.battery, makings.edits, makings.accuracy);
    return out;
}

Expected<OpenedRecording> openRecording(BenchBook& book, std::int64_t id) {
    const auto all = book.recordings();
    if (!all) return tl::unexpected<Error>(all.error());
    for (const RecordingEntry& e : *all) {
        if (e.id != id) continue;
        // A correction of a later version would be left out without a word otherwise.
        const auto corrections = book.corrections(id);
        if (!corrections) return tl::unexpected<Error>(corrections.error());
        auto makings = allMakings(book, {e});
        if (!makings) return tl::unexpected<Error>(makings.error());
        return openRecording(book, e, makings->front());
    }
    return fail(ErrorKind::NotFound, phrase("This recording is no longer in the book."),
                book.path().string(), phrase("one of those that the book lists."));
}

Expected<BatteryEntry> findBattery(BenchBook& book, const std::string& idOrName) {
    const auto all = book.batteries();
    if (!all) return tl::unexpected<Error>(all.error());
    return findOne(
        *all, idOrName, [](const BatteryEntry& e) { return e.battery.name; }, phrase("battery"),
        book.path().string());
}

Expected<RecordingEntry> findRecording(BenchBook& book, const std::string& idOrTitle) {
    const auto all = book.recordings();
    if (!all) return tl::unexpected<Error>(all.error());
    // A number is the identifier first: titles are often numbers.
    for (const RecordingEntry& e : *all)
        if (std::to_string(e.id) == idOrTitle) return e;
    return findOne(
        *all, idOrTitle, [](const RecordingEntry& e) { return e.title; }, phrase("recording"),
        book.path().string());
}

}  // namespace nk
