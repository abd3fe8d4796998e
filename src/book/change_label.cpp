#include "change_label.h"

#include <nlohmann/json.hpp>

#include "quantity/harmless.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

/// Settings of the book are what a station keeps; their key says whose.
std::string settingWords(const std::string& key) {
    const auto of = [&](const char* name) { return key.starts_with(name); };
    if (of("habits:")) return phrase("change the habits of a battery");
    if (of("ready_by:")) return phrase("change a weekly plan");
    if (of("bench_cards:")) return phrase("keep a bench card");
    if (of("fade_end:")) return phrase("change when a battery is worn out");
    if (of("between_logs:")) return phrase("change what happens between the logs");
    if (of("views")) return phrase("keep a view of logs side by side");
    if (of("shape")) return phrase("change the shape of a pack");
    if (of("day:")) return phrase("set the day of a log");
    if (of("queue")) return phrase("change the queue");
    return phrase("change the book's rules");
}

std::string words(const ChangeLabel& label) {
    const auto argument = [&](std::size_t k) {
        return k < label.arguments.size() ? label.arguments[k] : std::string();
    };
    const std::string& id = label.id;
    if (id == "add") return phrase("add {}", argument(0));
    if (id == "card") return phrase("change the card of {}", argument(0));
    if (id == "remove_battery") return phrase("remove a battery");
    if (id == "move") return phrase("move a recording to another battery");
    if (id == "move_to") return phrase("move a recording to {}", argument(0));
    if (id == "move_many") return phrase("move {} recordings", argument(0));
    if (id == "rename") return phrase("rename to {}", argument(0));
    if (id == "take_off") return phrase("take a recording off the shelf");
    if (id == "edit_steps") return phrase("edit the steps");
    if (id == "correct") return phrase("correct the recording: {}", argument(0));
    if (id == "meter_check") return phrase("correct the recording by a meter");
    if (id == "remove_correction") return phrase("take a correction away");
    if (id == "add_reading") return phrase("add a reading");
    if (id == "change_reading") return phrase("change a reading");
    if (id == "life") return phrase("change what is known of a battery");
    if (id == "skin") return phrase("note a look at {}", argument(0));
    if (id == "retire") return phrase("put {} into the drawer", argument(0));
    if (id == "bring_back") return phrase("take {} back into use", argument(0));
    if (id == "parts") return phrase("change the parts of {}", argument(0));
    if (id == "intake") return phrase("take in {} batteries", argument(0));
    if (id == "shelf") return phrase("take in a table of batteries");
    if (id == "task_done") return phrase("tick something off the due list");
    if (id == "day") return phrase("set the day of a log");
    if (id == "setting") return settingWords(argument(0));
    if (id == "remove_reading") return phrase("take a reading away");
    if (id == "demo") return phrase("add the demo bench");
    if (id == "add_instrument") return phrase("add the instrument {}", argument(0));
    if (id == "instrument") return phrase("change the instrument {}", argument(0));
    if (id == "instrument_of") return phrase("name the instrument of a recording");
    if (id == "add_charger") return phrase("add the charger {}", argument(0));
    if (id == "charger") return phrase("change the charger {}", argument(0));
    if (id == "charger_of") return phrase("name the charger of a recording");
    if (id == "accuracy") return phrase("change the usual accuracy");
    if (id == "merge") return phrase("take in the book {}", argument(0));
    return phrase("a change");
}

}  // namespace

std::string labelText(const ChangeLabel& label) {
    nlohmann::json list = {label.id};
    for (const std::string& a : label.arguments) list.push_back(a);
    return list.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
}

std::string labelWords(const std::string& stored) {
    if (!stored.starts_with('[')) return harmless(stored);
    const auto list = nlohmann::json::parse(stored, nullptr, false);
    if (list.is_discarded() || !list.is_array() || list.empty()) return harmless(stored);
    ChangeLabel label;
    for (const auto& item : list) {
        if (!item.is_string()) return harmless(stored);
        if (label.id.empty())
            label.id = item.get<std::string>();
        else
            label.arguments.push_back(harmless(item.get<std::string>()));
    }
    return words(label);
}

}  // namespace nk
