#include "skin_check.h"

#include <algorithm>

#include "quantity/phrase.h"
#include "quantity/sentence.h"

namespace nk {

namespace {

Expected<BatteryEntry> entryOf(BenchBook& book, std::int64_t id) {
    const auto all = book.batteries();
    if (!all) return tl::unexpected<Error>(all.error());
    for (const BatteryEntry& e : *all)
        if (e.id == id) return e;
    return fail(ErrorKind::NotFound, phrase("This battery is no longer in the book."),
                book.path().string());
}

Expected<BatteryLife> lifeOf(BenchBook& book, std::int64_t id) {
    const auto all = book.lives();
    if (!all) return tl::unexpected<Error>(all.error());
    const auto at = all->find(id);
    return at == all->end() ? BatteryLife{} : at->second;
}

}  // namespace

const std::vector<SkinSign>& skinSigns() {
    static const std::vector<SkinSign> signs = {
        {"dent", sentence("a dent"), SkinGrade::Hazard},
        {"swollen", sentence("swollen"), SkinGrade::Hazard},
        {"torn", sentence("a torn or pierced wrap"), SkinGrade::Hazard},
        {"leak", sentence("it leaks"), SkinGrade::Hazard},
        {"smell", sentence("a sweet or solvent smell"), SkinGrade::Hazard},
        {"hot", sentence("warm without a current"), SkinGrade::Hazard},
        {"corroded", sentence("corroded contacts"), SkinGrade::Watch},
        {"scuffed", sentence("a scuffed wrap"), SkinGrade::Watch},
        {"lead", sentence("a damaged lead or plug"), SkinGrade::Watch},
    };
    return signs;
}

SkinGrade gradeOf(const std::vector<std::string>& signs) {
    SkinGrade worst = SkinGrade::Fine;
    for (const std::string& id : signs) {
        const auto known =
            std::ranges::find_if(skinSigns(), [&](const SkinSign& s) { return id == s.id; });
        worst = std::max(worst, known == skinSigns().end() ? SkinGrade::Watch : known->grade);
    }
    return worst;
}

Expected<SkinGrade> addSkinCheck(BenchBook& book, std::int64_t batteryId,
                                 const std::vector<std::string>& signs, const std::string& note,
                                 double at_s) {
    const auto entry = entryOf(book, batteryId);
    if (!entry) return tl::unexpected<Error>(entry.error());
    const SkinGrade grade = gradeOf(signs);
    const auto stored = book.change({"skin", {entry->battery.name}}, [&]() -> Expected<void> {
        SpotReading s;
        s.batteryId = batteryId;
        s.kind = "skin";
        s.value = static_cast<double>(grade);
        s.atEpoch_s = at_s;
        s.note = note;
        std::string seen;
        for (const std::string& id : signs) {
            s.method += (s.method.empty() ? "" : " ") + id;
            for (const SkinSign& sign : skinSigns())
                if (id == sign.id && sign.grade == SkinGrade::Hazard)
                    seen += (seen.empty() ? "" : ", ") + phrase(sign.words);
        }
        if (const auto added = book.addSpotReading(s); !added)
            return tl::unexpected<Error>(added.error());
        if (grade != SkinGrade::Hazard) return {};
        auto life = lifeOf(book, batteryId);
        if (!life) return tl::unexpected<Error>(life.error());
        life->outOfUse = seen;
        return book.setLife(batteryId, *life);
    });
    if (!stored) return tl::unexpected<Error>(stored.error());
    return grade;
}

Expected<void> bringBack(BenchBook& book, std::int64_t batteryId) {
    const auto entry = entryOf(book, batteryId);
    if (!entry) return tl::unexpected<Error>(entry.error());
    return book.change({"bring_back", {entry->battery.name}}, [&]() -> Expected<void> {
        auto life = lifeOf(book, batteryId);
        if (!life) return tl::unexpected<Error>(life.error());
        life->outOfUse.clear();
        return book.setLife(batteryId, *life);
    });
}

Expected<void> setRetired(BenchBook& book, std::int64_t batteryId, bool retired, double now_s) {
    const auto entry = entryOf(book, batteryId);
    if (!entry) return tl::unexpected<Error>(entry.error());
    return book.change({retired ? "retire" : "bring_back", {entry->battery.name}},
                       [&]() -> Expected<void> {
                           auto life = lifeOf(book, batteryId);
                           if (!life) return tl::unexpected<Error>(life.error());
                           life->retired_s = retired ? now_s : kNaN;
                           return book.setLife(batteryId, *life);
                       });
}

}  // namespace nk
