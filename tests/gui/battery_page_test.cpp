// What the battery page says, without a window: words, order, what is joined and what stands apart;
// its table with many thousand rows.
#include "app/battery/battery_page_presenter.h"
#include "app/battery/history_table.h"

namespace nk {
namespace {

HistoryPoint point(const std::string& name, double value, const std::string& unit, double at_s) {
    HistoryPoint p;
    p.reading.name = name;
    p.reading.value = value;
    p.reading.low = 0.98 * value;
    p.reading.high = 1.02 * value;
    p.reading.unit = unit;
    p.reading.recordingId = 7;
    p.at_s = at_s;
    p.title = "Slow one";
    return p;
}

BatteryPageData page() {
    BatteryPageData d;
    Battery& b = d.history.battery.battery;
    b.name = "Mount pack A";
    b.chemistry = "lfp";
    b.series = 4;
    b.rated_Ah = 20;
    d.verdict.verdict = "watch";
    d.verdict.reasons = {{"capacity", "It gives 15.0 Ah of the 20.0 Ah.", 0.75, 0.8, 7}};
    d.verdict.yardsticks.label = 20;
    d.verdict.yardsticks.ownFirst = 19;
    return d;
}

TEST(BatteryPages, VerdictReasonsAndYardsticks) {
    const BatteryPageView v = batteryPageView(page());
    EXPECT_EQ(v.name, "Mount pack A");
    EXPECT_EQ(v.verdict, "Watch it");
    EXPECT_TRUE(v.kind.contains("4S")) << v.kind.toStdString();
    ASSERT_EQ(v.reasons.size(), 1U);
    EXPECT_EQ(v.reasons[0].recording, 7);
    EXPECT_FALSE(v.reasons[0].words.contains("15.0 Ah")) << "a figure keeps to its unit";
    EXPECT_TRUE(v.reasons[0].words.contains(QString("15.0") + QChar(0x00a0) + "Ah") ||
                v.reasons[0].words.contains(QString("15.0") + QChar(0x202f) + "Ah"));
    EXPECT_EQ(v.label_Ah, 20);
    EXPECT_EQ(v.first_Ah, 19);
    EXPECT_TRUE(std::isnan(v.siblings_Ah));
    EXPECT_TRUE(v.rows.empty());
    BatteryPageData unknown = page();
    unknown.verdict = {};
    unknown.verdict.verdict = "unknown";
    unknown.verdict.logNext = "Log one whole discharge.";
    EXPECT_EQ(batteryPageView(unknown).next, "Log one whole discharge.");
    for (const char* verdict : {"keep", "recondition", "sell", "retire", "return"}) {
        unknown.verdict.verdict = verdict;
        EXPECT_NE(batteryPageView(unknown).verdict, "Not enough known") << verdict;
    }
}

TEST(BatteryPages, PicturesHoldWhatTheyAreOf) {
    BatteryPageData d = page();
    d.history.points = {
        point("delivered_capacity", 19, "Ah", 1e9),  point("resistance_10s", 0.02, "ohm", 1e9),
        point("resistance_10s", 0.03, "ohm", 1.1e9), point("resistance_1khz", 0.01, "ohm", 1.2e9),
        point("max_temperature", 31, "C", 1.2e9),    point("delivered_capacity", 15, "Ah", 1.3e9)};
    d.history.points[0].comparable = "delivered_capacity#1";
    d.history.points[2].reading.quoted = true;
    d.history.points[3].reading.recordingId = 0;  // by hand
    const BatteryPageView v = batteryPageView(d);
    ASSERT_EQ(v.capacities.size(), 2U);
    EXPECT_EQ(v.capacities[0].group, "delivered_capacity#1");
    EXPECT_TRUE(v.capacities[1].group.empty());
    ASSERT_EQ(v.resistances.size(), 2U) << "of a log's resistances the one to quote";
    EXPECT_EQ(v.resistances[0].value, 0.03);
    EXPECT_EQ(v.temperatures.size(), 1U);
    ASSERT_EQ(v.rows.size(), 6U) << "the table holds all of them";
    EXPECT_EQ(v.rows.front().number, 15) << "newest first";
    EXPECT_EQ(v.rows[2].standing, "by hand");
    EXPECT_EQ(v.rows[0].standing, "Slow one");
    d.history.leftOut = {"Torn log: a block is damaged", "Other: not read"};
    EXPECT_EQ(batteryPageView(d).leftOut.count('\n'), 1);
}

TEST(BatteryPages, ConditionsSayWhatIsKnownAndNothingElse) {
    BatteryPageData d = page();
    HistoryPoint p = point("delivered_capacity", 19, "Ah", 1e9);
    d.history.points = {p};
    EXPECT_TRUE(batteryPageView(d).rows[0].conditions.isEmpty());
    p.reading.conditions.cRate = 0.2;
    p.reading.conditions.beganFull = false;
    d.history.points = {p};
    const QString said = batteryPageView(d).rows[0].conditions;
    EXPECT_TRUE(said.contains("0.2C")) << said.toStdString();
    EXPECT_TRUE(said.contains("not from full"));
    EXPECT_FALSE(said.contains("nan"));
}

TEST(BatteryPages, TheTableSortsByMomentAndFigureNotByWords) {
    BatteryPageData d = page();
    for (int k = 0; k < 30000; ++k)
        d.history.points.push_back(
            point("delivered_capacity", 1 + (k * 7919) % 30000, "Ah", 1e9 + k * 4000.0));
    const BatteryPageView v = batteryPageView(d);
    HistoryTable table;
    table.setRows(v.rows);
    QSortFilterProxyModel shown;
    shown.setSourceModel(&table);
    shown.setSortRole(HistoryTable::kSortRole);
    shown.sort(HistoryTable::kValue, Qt::AscendingOrder);
    ASSERT_EQ(shown.rowCount(), 30000);
    const auto figure = [&](int r) {
        return shown.index(r, HistoryTable::kValue).data(HistoryTable::kSortRole).toDouble();
    };
    for (int r = 1; r < shown.rowCount(); ++r) ASSERT_LE(figure(r - 1), figure(r));
    shown.sort(HistoryTable::kDay, Qt::DescendingOrder);
    for (int r = 1; r < shown.rowCount(); ++r)
        ASSERT_GE(shown.index(r - 1, 0).data(HistoryTable::kSortRole).toDouble(),
                  shown.index(r, 0).data(HistoryTable::kSortRole).toDouble());
    EXPECT_FALSE(table.data({}, Qt::DisplayRole).isValid());
    EXPECT_EQ(table.rowCount(table.index(0, 0)), 0);
}

}  // namespace
}  // namespace nk
