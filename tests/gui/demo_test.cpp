// The whole demo bench, log by log and station by station: nothing crashes, nothing is empty, and
// in another language nothing is left in English.
#include <QAbstractButton>
#include <QLabel>
#include <QRegularExpression>
#include <QTableWidget>

#include "app/findings/findings_panel.h"
#include "app/preferences/translation.h"
#include "app/shell/help_page.h"
#include "app/strength/strength_plot.h"
#include "tests/gui/window.h"

namespace nk {
namespace {

class DemoBench : public test::Window {
  protected:
    void load() {
        window_->loadDemo();
        ASSERT_TRUE(QTest::qWaitFor([&] { return !window_->busy(); }, 60000));
        settle();
    }
    /// All that can be read in the window now.
    QStringList texts() const {
        QStringList out;
        for (const QLabel* l : window_->findChildren<QLabel*>())
            if (l->isVisible()) out << l->text();
        for (const QAbstractButton* b : window_->findChildren<QAbstractButton*>())
            if (b->isVisible()) out << b->text() << b->toolTip();
        for (const QTableWidget* t : window_->findChildren<QTableWidget*>()) {
            if (!t->isVisible()) continue;
            for (int c = 0; c < t->columnCount(); ++c) {
                if (t->horizontalHeaderItem(c) != nullptr)
                    out << t->horizontalHeaderItem(c)->text();
                for (int r = 0; r < t->rowCount(); ++r)
                    if (t->item(r, c) != nullptr) out << t->item(r, c)->text();
            }
        }
        for (const Card& card : window_->findChild<FindingsPanel*>()->cards()) {
            out << QString::fromStdString(card.kind) << QString::fromStdString(card.title)
                << QString::fromStdString(card.how);
            for (const std::string& line : card.lines) out << QString::fromStdString(line);
        }
        return out;
    }
    template <class Visit>
    void everywhere(Visit&& visit) {
        const auto list = window_->book().recordings();
        ASSERT_TRUE(list);
        for (const RecordingEntry& e : *list) {
            SCOPED_TRACE(e.title);
            window_->chooseRecording(e.id);
            settle();
            for (int station = 0; station < 3; ++station) {
                window_->setStation(station);
                settle();
                visit(e, station);
            }
        }
    }
};

TEST_F(DemoBench, EveryLogHasAnAnswerAtEveryStation) {
    load();
    everywhere([&](const RecordingEntry&, int station) {
        const auto& cards = window_->findChild<FindingsPanel*>()->cards();
        ASSERT_FALSE(cards.empty()) << "station " << station;
        for (const Card& card : cards) {
            EXPECT_FALSE(card.title.empty()) << card.code;
            EXPECT_FALSE(card.kind.empty()) << card.code;
            EXPECT_EQ(card.plainText().find("nan"), std::string::npos) << card.plainText();
            EXPECT_EQ(card.plainText().find("{"), std::string::npos) << card.plainText();
            if (card.pointsAtCurve()) {
                const auto t = window_->shown()->recording->time_s();
                EXPECT_GE(card.evidence.from_s, t.front() - 1) << card.code;
                EXPECT_LE(card.evidence.to_s, t.back() + 1) << card.code;
            }
        }
        EXPECT_FALSE(window_->grab().isNull());
    });
}

TEST_F(DemoBench, HazardsStandOutAndOnlyThere) {
    load();
    const auto list = window_->book().recordings();
    ASSERT_TRUE(list);
    int hazards = 0;
    for (const RecordingEntry& e : *list) {
        const bool expected = e.fileName == "camera-flash-overvoltage.csv";
        EXPECT_EQ(e.summary.hazard, expected) << e.fileName;
        hazards += e.summary.hazard ? 1 : 0;
    }
    EXPECT_EQ(hazards, 1);
}

TEST_F(DemoBench, InGermanNothingIsLeftInEnglish) {
    QSettings().setValue("language", "de");
    QSettings().setValue("decimalSign", 2);
    openWindow();
    load();
    // Words that English sentences cannot do without and German ones do not have. Names of logs,
    // batteries and standards are data, and the demo's are English.
    static const QRegularExpression english(
        R"(\b(the|and|of|with|not|is|it|this|that|charge|discharge|cell|from|to|are|no)\b)");
    static const QRegularExpression names(
        R"((Handbook of Batteries|Dew heater|Mount pack|Flash pack|Radio module|Red torch|Never stops|Quick peak|Slow no peak|-no-|power-cut|Power cut|Weak cell|[a-z-]+\.csv))",
        QRegularExpression::CaseInsensitiveOption);
    QStringList left;
    everywhere([&](const RecordingEntry&, int) {
        for (QString text : texts()) {
            text.remove(names);
            if (english.match(text).hasMatch() && !left.contains(text)) left << text;
        }
    });
    EXPECT_TRUE(left.isEmpty()) << left.join("\n").toStdString();
    // A decimal comma in every number of the cards; a point stays in C rates of standards (0.2C).
    window_->setStation(0);
    settle();
    for (const Card& card : window_->findChild<FindingsPanel*>()->cards())
        EXPECT_EQ(card.value.find('.'), std::string::npos) << card.value;
    for (const char* page : {"curve", "finish", "strength"}) {
        const HelpPage help(page);
        EXPECT_FALSE(english.match(help.windowTitle()).hasMatch()) << page;
    }
}

TEST(Catalogue, ReadsWhatPoFilesHold) {
    const Catalogue c = readCatalogue(R"(# a comment
msgid ""
msgstr ""
"Language: de\n"

#: src/somewhere.cpp
msgid "one"
msgstr "eins"

msgid ""
"two "
"lines \"quoted\"\n"
msgstr ""
"zwei "
"Zeilen \"zitiert\"\n"

#, fuzzy
msgid "unsure"
msgstr "unsicher"

msgid "empty"
msgstr ""

msgid "last without a line end"
msgstr "letzte")");
    EXPECT_EQ(c.size(), 3);
    EXPECT_EQ(c.value("one"), "eins");
    EXPECT_EQ(c.value("two lines \"quoted\"\n"), "zwei Zeilen \"zitiert\"\n");
    EXPECT_EQ(c.value("last without a line end"), "letzte");
    EXPECT_FALSE(c.contains("unsure"));
    EXPECT_FALSE(c.contains("empty")) << "an empty translation is none";
    EXPECT_TRUE(readCatalogue("").isEmpty());
    EXPECT_TRUE(readCatalogue("msgid \"broken").isEmpty());
}

}  // namespace
}  // namespace nk
