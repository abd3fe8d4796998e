// Bench cards kept with a battery and set against the log that followed; its own model kept in the
// book with the fingerprint of what made it.
#include "history/kept_plans.h"

#include <gtest/gtest.h>

#include <filesystem>

#include "history/own_models.h"
#include "quantity/iso_time.h"
#include "tests/support/sim.h"

using namespace nk;

namespace {

class KeptPlans : public ::testing::Test {
  protected:
    void SetUp() override {
        folder_ = std::filesystem::temp_directory_path() /
                  ("nk-kept-" + std::to_string(::getpid()) + "-" +
                   ::testing::UnitTest::GetInstance()->current_test_info()->name());
        std::filesystem::create_directories(folder_);
        book_ = *BenchBook::open((folder_ / "a.nkbook").string());
        Battery b;
        b.name = "Torch cell";
        b.chemistry = "nmc";
        b.series = 1;
        b.rated_Ah = 2.5;
        id_ = *book_->addBattery(b);
    }
    void TearDown() override {
        book_.reset();
        std::filesystem::remove_all(folder_);
    }
    std::int64_t add(const std::string& day, double charge_A = 1.25, double soc = 0.02) {
        const test::Logged log = test::logged(
            R"({"seed": 4, "battery": {"name": "x", "chemistry": "nmc", "series": 1, "rated_Ah": 2.5,
                "capacity_Ah": 2.4, "soc": )" +
            std::to_string(soc) + R"(}, "program": [{"do": "rest", "longest_s": 600},
                {"do": "charge", "current_A": )" +
            std::to_string(charge_A) +
            R"(, "set_V": 4.2, "cutoff_A": 0.125}, {"do": "rest", "longest_s": 1800},
                {"do": "discharge", "current_A": 1.0, "floor_V": 3.0}],
                "logger": {"interval_s": 10, "noise_V": 0.0004, "noise_A": 0.001},
                "format": {"time": "datetime", "start": ")" +
            day + R"( 10:00:00"}})");
        NewRecording r;
        r.batteryId = id_;
        r.title = day;
        r.originalBytes = log.text;
        r.imported = &log.imported;
        return *book_->addRecording(r);
    }
    ChargePlan plan() const {
        ChargeWish w;
        w.battery.chemistry = "nmc";
        w.battery.series = 1;
        w.battery.rated_Ah = 2.5;
        w.rate_C = 0.5;
        w.fromSoc = 0;
        return *planCharge(w);
    }

    std::filesystem::path folder_;
    std::unique_ptr<BenchBook> book_;
    std::int64_t id_ = 0;
};

TEST_F(KeptPlans, AreSetAgainstTheLogThatFollows) {
    const double kept_s = fromIsoTime("2026-03-01T09:30:00");
    KeptPlan p = keptPlan(plan(), 2.5, "bench charger", kept_s);
    p.ticked = {"The charger's counter stands at zero."};
    p.open = {"Somebody is there."};
    ASSERT_TRUE(addPlan(*book_, id_, p));
    const auto back = plansOf(*book_, id_);
    ASSERT_EQ(back.size(), 1U);
    EXPECT_EQ(back[0].charger, "bench charger");
    EXPECT_EQ(back[0].ticked, p.ticked);
    EXPECT_EQ(back[0].open, p.open);
    EXPECT_NEAR(back[0].current_A, 1.25, 1e-9);

    const auto same = openRecording(*book_, add("2026-03-01"));
    ASSERT_TRUE(same);
    ASSERT_EQ(planBefore(back, *same), 0);
    for (const AgainstLog& a : againstLog(back[0], *same)) EXPECT_TRUE(a.met) << a.name << a.actual;
    // Half the current: said so.
    const auto slow = openRecording(*book_, add("2026-03-02", 0.6));
    ASSERT_TRUE(slow);
    EXPECT_EQ(planBefore(back, *slow), -1) << "a day later it followed no card";
    const auto rows = againstLog(back[0], *slow);
    ASSERT_GE(rows.size(), 3U);
    EXPECT_EQ(rows[0].name, "current");
    EXPECT_FALSE(rows[0].met);
    EXPECT_FALSE(rows[0].words.empty());
}

TEST_F(KeptPlans, AtMostFiftyAndNothingOfADamagedList) {
    for (int k = 0; k < 55; ++k) ASSERT_TRUE(addPlan(*book_, id_, keptPlan(plan(), 2.5, "", k)));
    const auto all = plansOf(*book_, id_);
    ASSERT_EQ(all.size(), 50U);
    EXPECT_EQ(all.front().at_s, 5);
    for (const char* bad :
         {"", "{}", "[1]", R"({"schema": "narrow-knee/bench-cards/1", "cards": 3})",
          R"({"schema": "narrow-knee/bench-cards/1", "cards": [3, {"at_s": "x"}]})"})
        EXPECT_TRUE(keptPlansIn(bad).empty()) << bad;
}

TEST_F(KeptPlans, TheOwnModelIsKeptUntilItsMakingsChange) {
    EXPECT_FALSE(ownModelOf(*book_, id_)) << "nothing to learn from";
    add("2026-03-01");
    const auto first = ownModelOf(*book_, id_);
    ASSERT_TRUE(first) << first.error().text();
    EXPECT_NEAR(first->model.capacity_Ah, 2.4, 0.06);
    const auto again = ownModelOf(*book_, id_);
    ASSERT_TRUE(again);
    EXPECT_EQ(again->fingerprint, first->fingerprint);
    // As it was kept, to the last digit.
    EXPECT_EQ(keptModelText(*again), keptModelText(*first));
    EXPECT_EQ(keptModelText(*keptModelIn(keptModelText(*first))), keptModelText(*first));
    // Keeping it is no step of undo.
    EXPECT_TRUE(book_->undoLabel()->find("setting") == std::string::npos);
    add("2026-03-05", 0.8);
    const auto more = ownModelOf(*book_, id_);
    ASSERT_TRUE(more);
    EXPECT_NE(more->fingerprint, first->fingerprint);
    EXPECT_EQ(more->learnedFrom.size(), 2U);
    EXPECT_EQ(more->model.leftOut.size(), 2U);
}

TEST_F(KeptPlans, ADamagedModelIsFittedAnew) {
    add("2026-03-01");
    const auto good = ownModelOf(*book_, id_);
    ASSERT_TRUE(good);
    const std::string text = keptModelText(*good);
    for (const std::string& bad :
         {std::string("{"), text.substr(0, text.size() / 2), std::string("[]"),
          std::string(R"({"schema": "narrow-knee/own-model/1"})")}) {
        EXPECT_FALSE(keptModelIn(bad));
        ASSERT_TRUE(book_->keepComputed("own_model:" + std::to_string(id_), bad));
        EXPECT_TRUE(ownModelOf(*book_, id_));
    }
}

}  // namespace
