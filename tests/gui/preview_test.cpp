// The reading of a log as a person corrects it: each column holds one thing, what is chosen is what
// is read, slips are said, and what was chosen once is remembered and cannot be poisoned.
#include "app/reading/import_preview.h"

#include <gtest/gtest.h>

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QSignalSpy>
#include <QTableWidget>
#include <QTest>
#include <random>

#include "formats/text_table.h"

namespace nk {
namespace {

class Preview : public testing::Test {
  protected:
    void SetUp() override {
        preview.resize(1000, 420);
        preview.QWidget::show();
        ASSERT_TRUE(QTest::qWaitForWindowExposed(&preview));
    }
    /// Shows a log as the window does: read with the options that are chosen now.
    void show(const std::string& log, const ReadOptions& options) {
        text = log;
        const auto read = readTextTable(text, "log.csv", options);
        preview.ImportPreview::show(text, options, read ? &*read : nullptr,
                                    read ? QString() : QString::fromStdString(read.error().text()));
    }
    /// Of the table as it is now: it gets new boxes with each reading.
    QComboBox* boxAt(int row, int column) const {
        const auto* table = preview.findChild<QTableWidget*>("previewTable");
        return qobject_cast<QComboBox*>(table->cellWidget(row, column - 1));
    }
    QComboBox* role(int column) const { return boxAt(0, column); }
    QComboBox* unit(int column) const { return boxAt(1, column); }
    /// Chooses as a person does and reads the log anew.
    void choose(QComboBox* box, const QString& entry) {
        ASSERT_NE(box, nullptr);
        const int at = box->findText(entry);
        ASSERT_GE(at, 0) << entry.toStdString();
        box->setFocus();
        box->setCurrentIndex(at);
        Q_EMIT box->activated(at);
        show(text, preview.options());
    }
    void type(const char* name, const QString& words) {
        auto* field = preview.findChild<QLineEdit*>(name);
        ASSERT_NE(field, nullptr);
        field->setFocus();
        field->selectAll();
        QTest::keyClicks(field, words);
        QTest::keyClick(field, Qt::Key_Return);
    }
    QString summary() const { return preview.findChild<QLabel*>("readingSummary")->text(); }
    static std::string plain() {
        std::string out = "a,b,c,d\n";
        for (int k = 0; k < 60; ++k)
            out += std::to_string(k) + "," + std::to_string(3.6 + 0.001 * k) + ",1.25," +
                   std::to_string(21 + k % 3) + "\n";
        return out;
    }
    std::string text;
    ImportPreview preview;
};

TEST_F(Preview, EachThingIsInOneColumnWhereverItIsPut) {
    const QStringList names{"time", "voltage", "current", "temperature"};
    std::mt19937 random(4);
    for (int round = 0; round < 6; ++round) {
        show(plain(), {});
        std::vector<int> columns{1, 2, 3, 4};
        std::shuffle(columns.begin(), columns.end(), random);
        for (int k = 0; k < 4; ++k) choose(role(columns[static_cast<std::size_t>(k)]), names[k]);
        for (int k = 0; k < 4; ++k) {
            const int column = columns[static_cast<std::size_t>(k)];
            EXPECT_EQ(role(column)->currentText(), names[k]) << round;
            int here = 0;
            for (int c = 1; c <= 4; ++c) here += role(c)->currentText() == names[k];
            EXPECT_EQ(here, 1) << names[k].toStdString();
        }
    }
}

TEST_F(Preview, WhatIsChosenIsWhatIsRead) {
    show(plain(), {});
    choose(role(1), "time");
    choose(role(2), "voltage");
    choose(role(3), "current");
    choose(role(4), "temperature");
    choose(unit(1), "min");
    choose(unit(3), "mA");
    choose(unit(4), "°F");
    const auto read = readTextTable(text, "log.csv", preview.options());
    ASSERT_TRUE(read) << read.error().text();
    EXPECT_NEAR(read->recording->time_s()[10], 600, 1e-6);
    EXPECT_NEAR(read->recording->current_A()[10], 0.00125, 1e-9);
    EXPECT_NEAR(read->recording->temperature_C()[0], (21 - 32) / 1.8, 1e-6);
    EXPECT_NEAR(read->recording->voltage_V()[10], 3.61, 1e-9);
    choose(role(4), "not used");
    const auto without = readTextTable(text, "log.csv", preview.options());
    ASSERT_TRUE(without);
    EXPECT_TRUE(without->recording->temperature_C().empty());
    choose(role(4), "temperature");
    const auto again = readTextTable(text, "log.csv", preview.options());
    ASSERT_TRUE(again);
    EXPECT_FALSE(again->recording->temperature_C().empty()) << "taken back, it is there again";
}

TEST_F(Preview, SignsAreTurnedByWhoeverKnowsBetter) {
    std::string log = "time,voltage,current\n";
    for (int k = 0; k < 60; ++k) log += std::to_string(k) + ",3.7,1.0\n";
    show(log, {});
    choose(preview.findChild<QComboBox*>("sign"), "discharges");
    const auto read = readTextTable(text, "log.csv", preview.options());
    ASSERT_TRUE(read);
    EXPECT_LT(read->recording->current_A()[5], 0);
    choose(preview.findChild<QComboBox*>("sign"), "charges");
    EXPECT_GT((*readTextTable(text, "log.csv", preview.options())).recording->current_A()[5], 0);
}

TEST_F(Preview, SlipsOfTheFieldsAreSaidAndChangeNothing) {
    std::string log = "voltage;temperature\n";
    for (int k = 0; k < 60; ++k) log += std::to_string(3.9 - 0.001 * k) + ";21.5\n";
    show(log, {});
    QSignalSpy changed(&preview, &ImportPreview::optionsChanged);
    for (const char* slip : {"soon", "-5", "1e999", "5 s later"}) {
        type("interval", slip);
        EXPECT_EQ(changed.count(), 0) << slip;
        EXPECT_TRUE(summary().contains("seconds")) << summary().toStdString();
        EXPECT_EQ(preview.options().interval_s, 0) << slip;
    }
    type("interval", "2,5");
    EXPECT_GE(changed.count(), 1);
    EXPECT_NEAR(preview.options().interval_s, 2.5, 1e-12);
    show(text, preview.options());
    changed.clear();
    for (const char* slip : {"much", "20", "20 kg", "-5 A"}) {
        type("load", slip);
        EXPECT_EQ(changed.count(), 0) << slip;
        EXPECT_EQ(preview.options().load.kind, KnownLoad::None) << slip;
        EXPECT_FALSE(summary().isEmpty());
    }
    type("load", "8 ohm");
    EXPECT_EQ(preview.options().load.kind, KnownLoad::Resistance);
    const auto read = readTextTable(text, "log.csv", preview.options());
    ASSERT_TRUE(read) << read.error().text();
    EXPECT_NEAR(read->recording->current_A()[0], -3.9 / 8, 1e-6);
    EXPECT_NEAR(read->recording->time_s()[1], 2.5, 1e-9);
}

TEST_F(Preview, StrangeTablesAreShownAsTheyAre) {
    std::string wide = "time,voltage,current";
    for (int c = 0; c < 300; ++c) wide += ",<b>cell " + std::to_string(c) + "</b>";
    wide += "\n";
    for (int k = 0; k < 8; ++k) {
        wide += std::to_string(k) + ",3.7,1";
        for (int c = 0; c < 300; ++c) wide += ",3.7";
        wide += "\n";
    }
    for (const std::string& log :
         {wide, std::string("x"), std::string("\n\n"), std::string(5000, ','),
          std::string("a,b\n\"open,1\n2,3\n"), std::string("time,voltage,current\n"),
          std::string(100'000, 'w'), std::string("\xFF\xFE\x00", 3)}) {
        show(log, {});
        EXPECT_LE(preview.findChild<QTableWidget*>("previewTable")->columnCount(), 60);
        preview.grab();
        for (auto* box : preview.findChildren<QComboBox*>())
            if (box->objectName().startsWith("role-")) {
                EXPECT_FALSE(box->accessibleName().isEmpty());
            }
    }
}

TEST(KeptReadings, ComeBackAsTheyWere) {
    std::mt19937 random(9);
    const Role roles[] = {Role::Time, Role::Voltage, Role::Current, Role::Temperature, Role::Power};
    for (int k = 0; k < 400; ++k) {
        ReadOptions o;
        for (const Role r : roles)
            if (random() % 2) o.map[r] = std::to_string(1 + random() % 9);
        if (random() % 2) o.units["a \"title\", with; signs"] = "mV";
        if (random() % 2) o.roleUnits[Role::Current] = "mA";
        if (random() % 2) o.ignored = {"3", "7"};
        if (random() % 2) o.dateOrder = static_cast<DateOrder>(random() % 3);
        if (random() % 2) o.load = {KnownLoad::Power, 20.5};
        o.sign = static_cast<SignConvention>(random() % 3);
        o.delimiter = "\0,;\t"[random() % 4];
        o.decimal = "\0.,"[random() % 3];
        o.interval_s = random() % 2 ? 2.5 : 0;
        const ReadOptions back = optionsFrom(optionsText(o));
        EXPECT_EQ(back.map, o.map);
        EXPECT_EQ(back.units, o.units);
        EXPECT_EQ(back.roleUnits, o.roleUnits);
        EXPECT_EQ(back.ignored, o.ignored);
        EXPECT_EQ(back.dateOrder, o.dateOrder);
        EXPECT_EQ(back.load.kind, o.load.kind);
        EXPECT_EQ(back.load.value, o.load.value);
        EXPECT_EQ(back.sign, o.sign);
        EXPECT_EQ(back.delimiter, o.delimiter);
        EXPECT_EQ(back.decimal, o.decimal);
        EXPECT_EQ(back.interval_s, o.interval_s);
    }
}

TEST(KeptReadings, OfAnotherHandBreakNothing) {
    std::string log = "time,voltage,current\n";
    for (int k = 0; k < 60; ++k) log += std::to_string(k) + ",3.7,1.0\n";
    for (const char* kept :
         {"", "{", "[]", "null", R"({"map": 5})", R"({"map": {"time": "999999"}})",
          R"({"sign": 77, "dateOrder": -9, "load": 12, "loadValue": -1})",
          R"({"delimiter": 123456, "decimal": -5, "interval_s": -3})",
          R"({"units": {"voltage": "parsec"}, "roleUnits": {"current": "🔋"}})",
          R"({"ignored": "1 2 3 x 99999999999999999999"})"}) {
        const ReadOptions o = optionsFrom(kept);
        EXPECT_GE(o.interval_s, 0) << kept;
        const auto read = readTextTable(log, "log.csv", o);
        if (!read) {
            EXPECT_FALSE(read.error().what.empty()) << kept;
        }
    }
}

}  // namespace
}  // namespace nk
