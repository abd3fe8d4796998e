#include "calendar.h"

#include <fmt/format.h>
#include <libical/ical.h>

#include <algorithm>
#include <ctime>
#include <memory>

#include "quantity/harmless.h"

namespace nk {

namespace {

icaltimetype moment(double epoch_s, bool day) {
    return icaltime_from_timet_with_zone(static_cast<std::time_t>(epoch_s), day ? 1 : 0,
                                         icaltimezone_get_utc_timezone());
}

}  // namespace

std::string dueCalendar(const std::vector<DueTask>& tasks, double now_s) {
    const std::unique_ptr<icalcomponent, void (*)(icalcomponent*)> calendar(
        icalcomponent_new(ICAL_VCALENDAR_COMPONENT), icalcomponent_free);
    icalcomponent_add_property(calendar.get(), icalproperty_new_version("2.0"));
    icalcomponent_add_property(calendar.get(),
                               icalproperty_new_prodid("-//Narrow Knee//bench book//EN"));
    for (const DueTask& t : tasks) {
        icalcomponent* event = icalcomponent_new(ICAL_VEVENT_COMPONENT);
        const std::string id = fmt::format("{}-{}@narrow-knee", t.batteryId, t.task);
        const std::string title = harmless(t.battery + ": " + t.text);
        const std::string reason = harmless(t.reason, 2000, true);
        icalcomponent_add_property(event, icalproperty_new_uid(id.c_str()));
        icalcomponent_add_property(event, icalproperty_new_dtstamp(moment(now_s, false)));
        icalcomponent_add_property(
            event, icalproperty_new_dtstart(moment(std::max(t.due_s, now_s), true)));
        icalcomponent_add_property(event, icalproperty_new_summary(title.c_str()));
        icalcomponent_add_property(event, icalproperty_new_description(reason.c_str()));
        icalcomponent_add_property(event, icalproperty_new_transp(ICAL_TRANSP_TRANSPARENT));
        icalcomponent_add_component(calendar.get(), event);
    }
    char* const text = icalcomponent_as_ical_string_r(calendar.get());
    std::string out(text == nullptr ? "" : text);
    icalmemory_free_buffer(text);
    return out;
}

}  // namespace nk
