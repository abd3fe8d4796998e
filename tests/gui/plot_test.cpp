// The curve shows what was measured, however many samples share a pixel.
#include <gtest/gtest.h>

#include <QSignalSpy>
#include <QTest>
#include <cmath>
#include <limits>

#include "app/plot/lanes_plot.h"
#include "tests/support/sim.h"

namespace nk {
namespace {

/// A flat log of `n` seconds with one spike of a single sample at `spike`.
RecordingPtr flatWithSpike(std::size_t n, std::size_t spike) {
    std::vector<double> t(n), v(n, 3.7), i(n, 0.5);
    for (std::size_t k = 0; k < n; ++k) t[k] = static_cast<double>(k);
    v[spike] = 4.4;
    return test::recording(t, v, i);
}

struct Extent {
    double low = std::numeric_limits<double>::infinity();
    double high = -std::numeric_limits<double>::infinity();
    int points = 0;
};

Extent extentOf(const QCPGraph* graph) {
    Extent e;
    for (const QCPGraphData& d : *graph->data()) {
        ++e.points;
        if (!std::isfinite(d.value)) continue;
        e.low = std::min(e.low, d.value);
        e.high = std::max(e.high, d.value);
    }
    return e;
}

class PlottedSpike : public testing::TestWithParam<std::size_t> {};

TEST_P(PlottedSpike, IsNeverThinnedAway) {
    constexpr std::size_t kSamples = 400'000;
    LanesPlot plot;
    plot.resize(900, 600);
    plot.show();
    plot.setRecording(flatWithSpike(kSamples, GetParam()));
    ASSERT_GT(plot.graphCount(), 0);
    const Extent all = extentOf(plot.graph(0));
    EXPECT_EQ(all.high, 4.4);
    EXPECT_EQ(all.low, 3.7);
    EXPECT_LT(all.points, 4 * 900 + 8) << "a redraw costs pixels, not samples";
    // Every zoom that holds the spike shows it; the axis makes room for it.
    const double at = static_cast<double>(GetParam());
    for (double width = kSamples; width > 40; width /= 3) {
        plot.showRange(at - 0.4 * width, at + 0.6 * width);
        EXPECT_EQ(extentOf(plot.graph(0)).high, 4.4) << width;
        EXPECT_GE(plot.graph(0)->valueAxis()->range().upper, 4.4) << width;
    }
}
INSTANTIATE_TEST_SUITE_P(Plot, PlottedSpike,
                         testing::Values(0, 1, 63, 64, 4095, 123'457, 399'998, 399'999));

TEST(Plot, ZoomedInEverySampleIsAPointOfItsOwn) {
    LanesPlot plot;
    plot.resize(900, 600);
    plot.show();
    plot.setRecording(flatWithSpike(100'000, 50'000));
    plot.showRange(49'990, 50'010);
    const auto data = plot.graph(0)->data();
    int inside = 0;
    for (const QCPGraphData& d : *data)
        if (d.key >= 49'990 && d.key <= 50'010) {
            ++inside;
            EXPECT_EQ(d.value, d.key == 50'000 ? 4.4 : 3.7) << d.key;
        }
    EXPECT_EQ(inside, 21);
}

TEST(Plot, AGapInTheLogIsAGapInTheLine) {
    std::string text = "Time (s),Voltage (V),Current (A)\n";
    for (int k = 0; k < 2000; ++k)
        text += std::to_string(k + (k >= 1000 ? 50'000 : 0)) + ",3.7,1.0\n";
    const auto read = readTextTable(text, "gap.csv");
    ASSERT_TRUE(read) << read.error().what;
    LanesPlot plot;
    plot.resize(900, 600);
    plot.show();
    plot.setRecording(read->recording);
    int breaks = 0;
    for (const QCPGraphData& d : *plot.graph(0)->data()) breaks += std::isnan(d.value) ? 1 : 0;
    EXPECT_EQ(breaks, 1);
}

TEST(Plot, ZoomStaysInsideTheLog) {
    LanesPlot plot;
    plot.resize(900, 600);
    plot.show();
    plot.setRecording(flatWithSpike(10'000, 5000));
    plot.showRange(-5000, 100);
    EXPECT_GE(plot.rangeLow(), 0);
    plot.showRange(9000, 90'000);
    EXPECT_LE(plot.rangeHigh(), 9999);
    plot.showRange(500, 500);
    EXPECT_GT(plot.rangeHigh(), plot.rangeLow()) << "never a range of no width";
    plot.showAll();
    EXPECT_EQ(plot.rangeLow(), 0);
    EXPECT_EQ(plot.rangeHigh(), 9999);
}

/// Upper and lower end of the curve's colour in the middle pixel column of a grabbed lane.
std::pair<int, int> inkOf(LanesPlot& plot, int x) {
    plot.replot(QCustomPlot::rpImmediateRefresh);
    const QImage image = plot.grab().toImage();
    const QColor ink = plot.graph(0)->pen().color();
    const auto* rect = plot.graph(0)->keyAxis()->axisRect();
    int top = 0, bottom = 0;
    for (int y = rect->top(); y <= rect->bottom(); ++y) {
        if (image.pixelColor(x, y) != ink) continue;
        if (top == 0) top = y;
        bottom = y;
    }
    return {top, bottom};
}

TEST(Plot, ADenseCurveCoversFromItsLowestToItsHighestValue) {
    // A square wave of a period of 20 s over 400,000 s: every pixel column holds both levels.
    constexpr std::size_t kSamples = 400'000;
    std::vector<double> t(kSamples), v(kSamples), i(kSamples, 0.5);
    for (std::size_t k = 0; k < kSamples; ++k)
        t[k] = static_cast<double>(k), v[k] = k % 20 < 10 ? 3.3 : 4.1;
    LanesPlot plot;
    plot.resize(900, 600);
    plot.show();
    plot.setRecording(test::recording(t, v, i));
    const QCPAxis* y = plot.graph(0)->valueAxis();
    for (const int x : {120, 450, 700}) {
        const auto [top, bottom] = inkOf(plot, x);
        EXPECT_NEAR(top, y->coordToPixel(4.1), 1.5) << x;
        EXPECT_NEAR(bottom, y->coordToPixel(3.3), 1.5) << x;
    }
    // Zoomed in, the same wave is a line again: between the levels there is paper.
    plot.showRange(1000, 1060);
    int covered = 0;
    int looked = 0;
    for (int x = 100; x < 860; x += 4) {
        const auto [top, bottom] = inkOf(plot, x);
        ++looked;
        covered += bottom - top > 100 ? 1 : 0;
    }
    EXPECT_LT(covered, looked / 4);
}

TEST(Plot, IsReadAndMovedByKeyboard) {
    LanesPlot plot;
    plot.resize(900, 600);
    plot.show();
    plot.setRecording(flatWithSpike(10'000, 5000));
    plot.setFocus();
    QTest::keyClick(&plot, Qt::Key_Plus);
    const double span = plot.rangeHigh() - plot.rangeLow();
    EXPECT_NEAR(span, 0.7 * 9999, 1);
    const double low = plot.rangeLow();
    QTest::keyClick(&plot, Qt::Key_Right);
    EXPECT_NEAR(plot.rangeLow(), low + 0.1 * span, 1);
    QTest::keyClick(&plot, Qt::Key_Left);
    EXPECT_NEAR(plot.rangeLow(), low, 1);
    QTest::keyClick(&plot, Qt::Key_Minus);
    EXPECT_NEAR(plot.rangeHigh() - plot.rangeLow(), 9999, 1);
    QTest::keyClick(&plot, Qt::Key_Plus);
    QTest::keyClick(&plot, Qt::Key_Home);
    EXPECT_EQ(plot.rangeLow(), 0);
    EXPECT_EQ(plot.rangeHigh(), 9999);
    QSignalSpy pins(&plot, &LanesPlot::pinRequested);
    QTest::keyClick(&plot, Qt::Key_A);
    QTest::keyClick(&plot, Qt::Key_B);
    ASSERT_EQ(pins.size(), 2);
    EXPECT_EQ(pins[0][0].toInt(), 0);
    EXPECT_EQ(pins[1][0].toInt(), 1);
}

TEST(Plot, ATemperatureLimitComesIntoViewWhenTheBatteryGetsNear) {
    const auto highest = [](double warmest_C) {
        std::vector<double> t, v, i, c;
        for (int k = 0; k < 1000; ++k)
            t.push_back(k), v.push_back(3.7), i.push_back(1),
                c.push_back(20 + (warmest_C - 20) * k / 999.0);
        LanesPlot plot;
        plot.resize(900, 600);
        plot.show();
        plot.setRecording(test::recording(t, v, i, c));
        plot.setTemperatureLimits({{45.0, "no charging above"}});
        plot.showAll();
        return plot.graph(plot.graphCount() - 1)->valueAxis()->range().upper;
    };
    EXPECT_LT(highest(30), 45) << "far away it would only flatten the curve";
    EXPECT_GT(highest(40), 45);
}

}  // namespace
}  // namespace nk
