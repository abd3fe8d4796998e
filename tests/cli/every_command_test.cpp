// Every command, found by asking the program for its own help: what each says, what each refuses,
// and what each writes. A command that is added is tested by being there.
#include <fmt/format.h>
#include <gmock/gmock.h>

#include <cmath>
#include <functional>
#include <nlohmann/json.hpp>
#include <regex>
#include <set>

#include "tests/support/command.h"
#include "tests/support/sim.h"

using nlohmann::json;
namespace fs = std::filesystem;

namespace nk::test {
namespace {

using Words = std::vector<std::string>;

struct OptionLine {
    std::string name, range;  ///< --series, and "1 - 400" where one is told
    bool whole = false, number = false;
    std::set<std::string> choices;
};

struct CommandHelp {
    Words path;  ///< plan charge
    std::string text;
    std::vector<OptionLine> options;
    std::string name() const {
        std::string out;
        for (const std::string& word : path) out += (out.empty() ? "" : " ") + word;
        return out;
    }
};

Words operator+(Words a, const Words& b) {
    a.insert(a.end(), b.begin(), b.end());
    return a;
}

/// The names that the help lists under "Subcommands:".
Words childrenOf(const std::string& help) {
    Words out;
    std::istringstream lines(help);
    std::string line;
    bool inside = false;
    while (std::getline(lines, line)) {
        if (line.starts_with("Subcommands:")) {
            inside = true;
        } else if (inside) {
            if (line.size() < 4 || line[0] != ' ' || line[2] == ' ') break;
            out.push_back(line.substr(2, line.find(' ', 2) - 2));
        }
    }
    return out;
}

std::vector<OptionLine> optionsOf(const std::string& help) {
    std::vector<OptionLine> out;
    static const std::regex shape(R"(^  (?:-\w,)?(--[a-z-]+)(.*)$)");
    static const std::regex range(R"((INT|FLOAT):(?:INT|FLOAT) in \[([^\]]+)\])");
    static const std::regex choice(R"(TEXT:\{([^}]+)\})");
    std::istringstream lines(help);
    std::string line;
    while (std::getline(lines, line)) {
        std::smatch m, r;
        if (!std::regex_match(line, m, shape)) continue;
        OptionLine option{m[1], "", false, false, {}};
        const std::string rest = m[2];
        if (std::regex_search(rest, r, range)) option.range = r[2], option.whole = r[1] == "INT";
        option.number = rest.find(" FLOAT") != std::string::npos;
        if (std::regex_search(rest, r, choice)) {
            std::istringstream words(r[1]);
            std::string word;
            while (std::getline(words, word, ',')) option.choices.insert(word);
        }
        out.push_back(option);
    }
    return out;
}

/// All commands that do something, with their help.
const std::vector<CommandHelp>& everyCommand() {
    static const std::vector<CommandHelp> all = [] {
        std::vector<CommandHelp> out;
        const std::function<void(const Words&)> walk = [&](const Words& path) {
            const Ran help = run(path + Words{"--help"});
            const Words inside = childrenOf(help.out);
            if (inside.empty()) out.push_back({path, help.out, optionsOf(help.out)});
            for (const std::string& name : inside) walk(path + Words{name});
        };
        walk({});
        return out;
    }();
    return all;
}

class EveryCommand : public Command {
  protected:
    void SetUp() override {
        Command::SetUp();
        log_ = write("log.csv", logged(lithiumCycle(R"({"interval_s": 10})")).text);
        std::string cycles = "cycle,capacity_Ah\n";
        for (int n = 1; n <= 120; ++n)
            cycles += fmt::format("{},{:.4f}\n", n, 2.5 - 0.003 * n + 0.002 * std::sin(13. * n));
        cycles_ = write("cycles.csv", cycles);
        modules_ = write("modules.csv",
                         "name,chemistry,series,rated_ah,capacity_ah,resistance_mohm\n"
                         "m1,nimh,6,2,1.9,21\nm2,nimh,6,2,1.8,22\nm3,nimh,6,2,1.7,20\n"
                         "m4,nimh,6,2,1.95,24\n");
        packs_ = write("packs.csv",
                       "name,chemistry,series,voltage_v,rated_ah,resistance_ohm\n"
                       "a,nmc,6,24.9,5,0.06\nb,nmc,6,25.0,5,0.06\n");
        chargers_ = write("chargers.json", R"({"schema": "narrow-knee/chargers/1", "chargers": [
            {"name": "A", "max_charge_A": 5, "max_charge_W": 80, "max_discharge_W": 10,
             "current_step_A": 0.1, "channels": 2}]})");
        habit_ = write("habit.json", R"({"schema": "narrow-knee/habit-file/1", "name": "x",
            "target_V_per_cell": 4.1, "uses_per_week": 5, "depth": 0.4, "parked_C": 25,
            "use_C": 30})");
        book_ = (folder_ / "book.nkbook").string();
        const Ran made = run({"book", "import", book_, log_, "--name", "Mount", "--chemistry",
                              "nmc", "--series", "3", "--rated-ah", "2.5"});
        ASSERT_EQ(made.status, 0) << made.err;
    }

    /// A use of each command that has an answer.
    std::vector<std::pair<std::string, Words>> goodUses() {
        const Words battery{"--chemistry", "nmc", "--series", "3", "--rated-ah", "2.5"};
        const Words nickel{"--chemistry", "nimh", "--series", "6", "--rated-ah", "2"};
        const auto out = [&](const char* name) { return (folder_ / name).string(); };
        return {
            {"analyse", Words{log_} + battery},
            {"replay", Words{log_, "--rule", "taper:C/10"} + battery},
            {"rate", Words{log_} + battery},
            {"compare", Words{log_, log_} + battery},
            {"simulate", {"dew-heater-full-cycle", "-o", out("made.csv")}},
            {"book list", {book_}},
            {"book verify", {book_}},
            {"book import", {book_, log_}},
            {"book export", {book_, "1", "-o", out("back.csv")}},
            {"book backup", {book_, "-o", out("copy.nkbook")}},
            {"book rescue", {book_, "-o", out("rescued.nkbook")}},
            {"book hand-on", {book_, "Mount", "-o", out("mount.nkbook")}},
            {"book merge", {book_, out("mount.nkbook")}},
            {"book refresh", {book_}},
            {"book day", {book_, "1", "2026-05-01"}},
            {"standing", {book_, "Mount"}},
            {"book instruments", {book_}},
            {"book chargers", {book_}},
            {"history", {book_, "Mount"}},
            {"identify", {"--nominal", "11.1", "--ah", "2.2"}},
            {"verdict", {book_, "Mount"}},
            {"group", {modules_, "--series", "2", "--parallel", "2"}},
            {"fade", {cycles_}},
            {"habit", {habit_, "--chemistry", "nmc"}},
            {"plan charge", battery},
            {"plan breakin", nickel},
            {"plan recondition", nickel},
            {"plan storage", battery + Words{"--from-soc", "0.9"}},
            {"plan rules", {}},
            {"plan chargers", battery},
            {"plan readyby",
             battery + Words{"--ready", "2026-05-01T18:00", "--now", "2026-05-01T08:00"}},
            {"plan join", {packs_}},
            {"plan queue", {modules_, chargers_, "--start", "2026-05-01T08:00"}},
            {"predict", Words{"--from", log_, "--do", "discharge:2A:3.0V"} + battery},
            {"watch", Words{log_, "--idle", "1s"} + battery},
            {"rainflow", {log_, "--rated-ah", "2.5"}},
            {"shelf", {book_}},
            {"due", {book_, "--at", "2026-11-26"}},
        };
    }
    static Words pathOf(const std::string& name) {
        std::istringstream in(name);
        Words out;
        for (std::string word; in >> word;) out.push_back(word);
        return out;
    }
    Words usable(const std::string& name) {
        for (const auto& [command, args] : goodUses())
            if (command == name) return args;
        ADD_FAILURE() << name << " has no example in this test";
        return {};
    }
    static bool has(const CommandHelp& help, const std::string& option) {
        return std::any_of(help.options.begin(), help.options.end(),
                           [&](const OptionLine& o) { return o.name == option; });
    }
    std::string log_, cycles_, modules_, packs_, chargers_, habit_, book_;
};

/// Every number in it is one, and every interval holds its value.
void expectHonest(const json& j, const std::string& where) {
    if (j.is_number_float()) {
        EXPECT_TRUE(std::isfinite(j.get<double>())) << where;
    } else if (j.is_object()) {
        if (j.contains("interval_95") && j["interval_95"].is_array() && j.contains("value")) {
            const double low = j["interval_95"][0];
            const double high = j["interval_95"][1];
            EXPECT_LE(low, high) << where;
            EXPECT_LE(low, j["value"].get<double>() + 1e-12) << where;
            EXPECT_GE(high, j["value"].get<double>() - 1e-12) << where;
        }
        for (const auto& [key, value] : j.items()) expectHonest(value, where + "." + key);
    } else if (j.is_array()) {
        for (std::size_t k = 0; k < j.size(); ++k)
            expectHonest(j[k], where + "[" + std::to_string(k) + "]");
    } else if (j.is_string()) {
        const auto text = j.get<std::string>();
        EXPECT_EQ(text.find("{}"), std::string::npos) << where << ": " << text;
        EXPECT_EQ(text.find(" nan"), std::string::npos) << where << ": " << text;
    }
}

TEST_F(EveryCommand, HasAHelpThatStandsAlone) {
    ASSERT_GE(everyCommand().size(), 30U);
    for (const CommandHelp& command : everyCommand()) {
        const Ran help = run(command.path + Words{"--help"});
        EXPECT_EQ(help.status, 0) << command.name();
        EXPECT_TRUE(help.err.empty()) << command.name() << ": " << help.err;
        EXPECT_THAT(help.out, testing::HasSubstr("Exit status")) << command.name();
        EXPECT_THAT(help.out, testing::HasSubstr("Usage: narrow-knee-cli " + command.name()));
        EXPECT_EQ(help.out.find('\t'), std::string::npos) << command.name();
        // An option that nobody explains is one that nobody finds.
        std::istringstream lines(help.out);
        std::string line;
        while (std::getline(lines, line)) {
            if (!line.starts_with("  --")) continue;
            std::string next;
            const std::size_t words = line.find_last_of(' ');
            EXPECT_GT(line.size() - words, 1U) << command.name() << ": " << line;
            if (line.size() < 34) {
                ASSERT_TRUE(std::getline(lines, next)) << line;
                EXPECT_GT(next.find_first_not_of(' '), 4U) << command.name() << ": " << line;
            }
        }
    }
}

TEST_F(EveryCommand, HasAUseThatAnswers) {
    for (const CommandHelp& command : everyCommand()) {
        const Ran ran = run(command.path + usable(command.name()));
        EXPECT_EQ(ran.status, 0) << command.name() << ": " << ran.err;
        // What only writes a file says nothing when all is well.
        const bool silent = command.name() == "simulate" || command.name() == "book export" ||
                            command.name() == "book backup";
        EXPECT_EQ(ran.out.empty(), silent) << command.name();
        EXPECT_EQ(ran.out.find(" nan"), std::string::npos) << command.name() << ": " << ran.out;
        EXPECT_EQ(ran.out.find(" inf"), std::string::npos) << command.name() << ": " << ran.out;
    }
}

TEST_F(EveryCommand, WritesJsonThatIsHonestAndNamesItsSchema) {
    std::size_t seen = 0;
    for (const CommandHelp& command : everyCommand()) {
        if (!has(command, "--json") || command.name() == "watch") continue;
        const Ran ran = run(command.path + usable(command.name()) + Words{"--json"});
        ASSERT_EQ(ran.status, 0) << command.name() << ": " << ran.err;
        const json j = json::parse(ran.out, nullptr, false);
        ASSERT_FALSE(j.is_discarded()) << command.name() << ": " << ran.out.substr(0, 300);
        if (command.name() != "book list") {
            ASSERT_TRUE(j.contains("schema")) << command.name();
            EXPECT_THAT(j["schema"].get<std::string>(), testing::StartsWith("narrow-knee/"));
        }
        expectHonest(j, command.name());
        ++seen;
    }
    EXPECT_GE(seen, 15U);
}

TEST_F(EveryCommand, SaysTheSameTwice) {
    for (const CommandHelp& command : everyCommand()) {
        if (!has(command, "--json") || command.name() == "watch") continue;
        const Words use = command.path + usable(command.name()) + Words{"--json"};
        EXPECT_EQ(run(use).out, run(use).out) << command.name();
    }
}

TEST_F(EveryCommand, TakesNoNumberBeyondItsOwnRange) {
    std::size_t tried = 0;
    for (const CommandHelp& command : everyCommand()) {
        for (const OptionLine& option : command.options) {
            if (option.range.empty()) continue;
            const std::size_t dash = option.range.find(" - ");
            ASSERT_NE(dash, std::string::npos) << option.range;
            const double low = std::stod(option.range.substr(0, dash));
            const double high = std::stod(option.range.substr(dash + 3));
            ASSERT_LT(low, high) << command.name() << " " << option.name;
            Words bad{"nan",
                      "-nan",
                      "much",
                      "",
                      "1e999",
                      "0x10g",
                      fmt::format("{}", low - std::max(1.0, std::abs(low) * 0.01)),
                      fmt::format("{:.17g}", high + std::max(1.0, high * 0.01))};
            if (option.whole) bad.push_back("1.5");
            for (const std::string& value : bad) {
                // The last of two decides, or two are refused: bad either way.
                const Ran ran =
                    run(command.path + usable(command.name()) + Words{option.name + "=" + value});
                EXPECT_EQ(ran.status, 2)
                    << command.name() << " " << option.name << "=" << value << "\n"
                    << ran.err;
                EXPECT_THAT(ran.err, testing::HasSubstr(option.name)) << command.name();
                EXPECT_TRUE(ran.out.empty()) << command.name() << " " << option.name;
                ++tried;
            }
        }
    }
    EXPECT_GT(tried, 200U);
}

TEST_F(EveryCommand, TakesNoWordForANumber) {
    std::size_t tried = 0;
    for (const CommandHelp& command : everyCommand())
        for (const OptionLine& option : command.options) {
            if (!option.number) continue;
            for (const char* value : {"nan", "inf", "much", "1,2,x"}) {
                const Ran ran =
                    run(command.path + usable(command.name()) + Words{option.name, value});
                EXPECT_NE(ran.status, 0) << command.name() << " " << option.name << " " << value;
                EXPECT_FALSE(ran.err.empty()) << command.name() << " " << option.name;
                ++tried;
            }
        }
    EXPECT_GT(tried, 100U);
}

TEST_F(EveryCommand, TakesNoWordThatIsNotAmongItsChoices) {
    std::size_t tried = 0;
    for (const CommandHelp& command : everyCommand())
        for (const OptionLine& option : command.options) {
            if (option.choices.empty()) continue;
            for (const std::string& word :
                 {std::string("neither"), std::string(""), *option.choices.begin() + "x"}) {
                const Ran ran =
                    run(command.path + usable(command.name()) + Words{option.name, word});
                EXPECT_EQ(ran.status, 2) << command.name() << " " << option.name << " " << word;
                ++tried;
            }
        }
    EXPECT_GE(tried, 20U);
}

TEST_F(EveryCommand, RefusesOptionsItDoesNotKnow) {
    for (const CommandHelp& command : everyCommand()) {
        const Words use = command.path + usable(command.name());
        for (const std::string option : {"--colour", "--jsn", "-q"}) {
            const Ran ran = run(use + Words{option});
            EXPECT_EQ(ran.status, 2) << command.name() << " " << option;
            EXPECT_THAT(ran.err, testing::HasSubstr(option)) << command.name();
        }
    }
}

TEST_F(EveryCommand, NamesTheFileThatIsNotThere) {
    // Commands whose first argument is a file that must be there.
    for (const CommandHelp& command : everyCommand()) {
        const std::string name = command.name();
        if (name == "simulate" || name == "identify" || name == "plan chargers") continue;
        if (command.text.find("REQUIRED") == std::string::npos) continue;
        Words use = usable(name);
        if (use.empty() || use.front().starts_with("--")) continue;
        if (name == "book import") continue;  // makes its book
        use.front() = (folder_ / "nowhere" / "absent.csv").string();
        const Ran ran = run(command.path + use);
        EXPECT_EQ(ran.status, 1) << name;
        EXPECT_THAT(ran.err, testing::HasSubstr("absent.csv")) << name;
        EXPECT_TRUE(ran.out.empty()) << name << ": " << ran.out;
        EXPECT_FALSE(fs::exists(folder_ / "nowhere")) << name;
    }
}

TEST_F(EveryCommand, SurvivesFilesOfAnotherKind) {
    const Words strange{
        write("empty.csv", ""),
        write("blank.csv", "\n\n\n"),
        write("zeros.bin", std::string(5000, '\0')),
        write("noise.bin",
              [] {
                  std::string out;
                  unsigned x = 12345;
                  for (int k = 0; k < 20000; ++k)
                      out.push_back(static_cast<char>((x = x * 1664525 + 1013904223) >> 24));
                  return out;
              }()),
        write("prose.txt", "This is a letter and no table.\nIt has two lines.\n"),
        write("deep.json", std::string(20000, '[')),
        write("list.json", "[1, 2, 3]"),
        write("half.csv", "time,voltage,current\n0,3.7,1\n1,3."),
        write("one.csv", "time,voltage,current\n0,3.7,1\n"),
        write("words.csv", "time,voltage,current\na,b,c\nd,e,f\n"),
        write("schema.json", R"({"schema": "narrow-knee/chargers/99"})"),
        folder_.string(),
        "/dev/null",
    };
    for (const CommandHelp& command : everyCommand()) {
        Words use = usable(command.name());
        // Each file that a use names is put in the place of something else.
        for (std::size_t k = 0; k < use.size(); ++k) {
            if (!use[k].starts_with(folder_.string()) || (k > 0 && use[k - 1] == "-o")) continue;
            for (std::size_t n = 0; n < strange.size(); ++n) {
                // A watcher waits for what may still come.
                if (command.name() == "watch" && n % 4 != 0) continue;
                const std::string& file = strange[n];
                Words other = use;
                other[k] = file;
                if (command.name() == "watch") other = other + Words{"--for", "1s"};
                const Ran ran = run(command.path + other);
                EXPECT_TRUE(ran.status == 0 || ran.status == 1 || ran.status == 2)
                    << command.name() << " " << file << ": " << ran.status;
                if (ran.status != 0) {
                    EXPECT_FALSE(ran.err.empty()) << command.name() << " " << file;
                    for (const char* inner : {"exception", "std::", "terminate", "basic_string"})
                        EXPECT_EQ(ran.err.find(inner), std::string::npos)
                            << command.name() << " " << file << ": " << ran.err;
                }
            }
        }
    }
    EXPECT_EQ(run({"book", "verify", book_}).status, 0) << "the book is what it was";
}

TEST_F(EveryCommand, WritesNothingWhereItCannot) {
    const std::string nowhere = (folder_ / "no" / "such" / "place.out").string();
    std::size_t tried = 0;
    for (const CommandHelp& command : everyCommand())
        for (const char* option : {"--output", "--ics"}) {
            if (!has(command, option)) continue;
            Words use = usable(command.name());
            const auto given = std::find(use.begin(), use.end(), "-o");
            if (given != use.end()) use.erase(given, given + 2);
            const Ran ran = run(command.path + use + Words{option, nowhere});
            EXPECT_EQ(ran.status, 1) << command.name() << " " << option;
            EXPECT_THAT(ran.err, testing::HasSubstr("place.out")) << command.name();
            EXPECT_FALSE(fs::exists(folder_ / "no")) << command.name();
            ++tried;
        }
    EXPECT_GE(tried, 6U);
}

TEST_F(EveryCommand, LeavesWhatItReadsAsItWas) {
    const auto bytes = [](const std::string& file) {
        std::ifstream in(file, std::ios::binary);
        return std::string(std::istreambuf_iterator<char>(in), {});
    };
    std::map<std::string, std::string> before;
    for (const std::string& file : {log_, cycles_, modules_, packs_, chargers_, habit_})
        before[file] = bytes(file);
    for (const CommandHelp& command : everyCommand()) run(command.path + usable(command.name()));
    for (const auto& [file, text] : before) EXPECT_EQ(bytes(file), text) << file;
}

TEST_F(EveryCommand, SpeaksTheSameInEveryLocale) {
    const std::string was = std::setlocale(LC_ALL, nullptr);
    const bool german = std::setlocale(LC_ALL, "de_DE.UTF-8") != nullptr ||
                        std::setlocale(LC_ALL, "C.UTF-8") != nullptr;
    ASSERT_TRUE(german);
    std::map<std::string, std::string> there;
    const auto all = [&] {
        std::map<std::string, std::string> out;
        for (const CommandHelp& command : everyCommand())
            if (has(command, "--json") && command.name() != "watch")
                out[command.name()] =
                    run(command.path + usable(command.name()) + Words{"--json"}).out;
        return out;
    };
    there = all();
    std::setlocale(LC_ALL, was.c_str());
    EXPECT_EQ(all(), there);
}

}  // namespace
}  // namespace nk::test
