#include "tests/support/run_command.h"

#include <gtest/gtest.h>

#include <filesystem>
#include <regex>
#include <set>

namespace pathmark {
namespace {

namespace fs = std::filesystem;
using test_support::contentOf;
using test_support::runCommand;
using test_support::TemporaryFolder;

/// Manual pages and completion are made from the verbs themselves: what the help lists stands in them.
class ManualCommandTest : public testing::Test {
  protected:
    void SetUp() override {
        ASSERT_EQ(
            runCommand("manual --out '" + out().string() + "' --date 2034-03-17", folder_).status,
            0);
    }

    [[nodiscard]] fs::path out() const { return folder_.path() / "manual"; }

    /// The words of a kind in the help of a verb, or of the program.
    [[nodiscard]] std::set<std::string> helped(const std::string& verb, const char* pattern) const {
        const std::string help = runCommand(verb + " --help", folder_).output;
        const std::regex words(pattern);
        std::set<std::string> found;
        for (std::sregex_iterator it(help.begin(), help.end(), words), end; it != end; ++it) {
            found.insert((*it)[1]);
        }
        return found;
    }

    TemporaryFolder folder_;
};

TEST_F(ManualCommandTest, EveryVerbAndOptionHasItsPlace) {
    const auto verbs = helped("", "\n  ([a-z]+)  +");
    ASSERT_GT(verbs.size(), 25U);
    EXPECT_FALSE(verbs.contains("manual")) << "it is for those who make packages";
    const std::string bash = contentOf(out() / "pathmark.bash");
    const std::string zsh = contentOf(out() / "_pathmark");
    for (const std::string& verb : verbs) {
        EXPECT_NE(bash.find("        " + verb + ") "), std::string::npos) << verb;
        EXPECT_NE(zsh.find("'" + verb + ":"), std::string::npos) << verb;
        if (verb == "desk") {
            continue; // the window has a page of its own
        }
        const std::string page = contentOf(out() / ("pathmark-" + verb + ".1"));
        EXPECT_NE(page.find(".Dd March 17, 2034\n"), std::string::npos) << verb;
        for (const std::string& option : helped(verb, "\n  (?:-[a-z],)?--([a-z-]+)")) {
            EXPECT_NE(page.find("Fl \\&-" + option), std::string::npos) << verb << " " << option;
            EXPECT_NE(bash.find("--" + option), std::string::npos) << verb << " " << option;
        }
    }
}

TEST_F(ManualCommandTest, BashReadsTheCompletion) {
    const auto script = (out() / "pathmark.bash").string();
    EXPECT_EQ(test_support::runLine("bash -n '" + script + "'"), 0);
    const auto listed = folder_.path() / "listed";
    // As the shell itself asks: the second word begun with "swe", and an option of it.
    const auto complete = [&](const std::string& words, int place) {
        test_support::runLine("bash -c 'source " + script + "; COMP_WORDS=(" + words +
                              "); COMP_CWORD=" + std::to_string(place) +
                              "; _pathmark; echo \"${COMPREPLY[@]}\"' > '" + listed.string() + "'");
        return contentOf(listed);
    };
    EXPECT_EQ(complete("pathmark swe", 1), "sweep\n");
    EXPECT_EQ(complete("pathmark send --wit", 2), "--withdraw\n");
}

} // namespace
} // namespace pathmark
