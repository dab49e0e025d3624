#include "command/console.h"
#include "core/frame/folder_scan.h"
#include "core/frame/header_diff.h"
#include "core/frame/open_frame.h"
#include "core/night/failures_json.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <memory>

namespace pathmark::command {
namespace {

using nlohmann::json;

struct HeaderArguments {
    Console console;
    std::vector<std::string> places;
    std::string find;
    bool differences = false;
};

json valueJson(const frame::Card& card) {
    return std::visit([](const auto& value) { return json(value); }, card.value);
}

void printHeader(const HeaderArguments& arguments,
                 const std::string& file,
                 const frame::Header& header,
                 json& list) {
    json cards = json::array();
    for (const auto& card : header.cards()) {
        if (!arguments.find.empty() && !frame::cardHolds(card, arguments.find)) {
            continue;
        }
        cards.push_back(
            {{"keyword", card.keyword}, {"value", valueJson(card)}, {"comment", card.comment}});
        if (!arguments.console.json) {
            Console::print(fmt::format("{:8} {}{}\n",
                                       card.keyword,
                                       frame::cardText(card),
                                       card.comment.empty() ? "" : "  / " + card.comment));
        }
    }
    list.push_back({{"file", file}, {"cards", cards}});
}

/// The values of a keyword, each with the files that have it; of many files that have the commonest, their number.
std::string differenceText(const frame::HeaderLine& line, const std::vector<std::string>& files) {
    constexpr std::size_t kNamed = 3;
    std::string text = line.keyword + "\n";
    const auto shared = frame::sharedValues(line);
    for (const auto& [value, headers] : shared) {
        std::string names;
        for (const std::size_t i : headers) {
            names += (names.empty() ? "" : ", ") + files[i];
        }
        const bool isUsual = &value == &shared.front().value && headers.size() > kNamed;
        text += fmt::format("    {:24} {}\n",
                            value.empty() ? "-" : value,
                            isUsual ? fmt::format("{} files", headers.size()) : names);
    }
    return text;
}

void printDifferences(const HeaderArguments& arguments,
                      const std::vector<std::string>& files,
                      const std::vector<frame::Header>& headers,
                      json& list) {
    for (const auto& line : frame::compareHeaders(headers)) {
        if (!line.differs) {
            continue;
        }
        list.push_back({{"keyword", line.keyword}, {"values", line.values}});
        if (!arguments.console.json) {
            Console::print(differenceText(line, files));
        }
    }
}

int run(const HeaderArguments& arguments) {
    std::vector<std::string> files;
    std::vector<frame::Header> headers;
    const auto list = frame::listFrames(
        std::vector<std::filesystem::path>(arguments.places.begin(), arguments.places.end()));
    std::vector<Error> failures = list.failures;
    for (const Error& error : failures) {
        Console::complain(error);
    }
    for (const auto& path : list.files) {
        const std::string file = path.string();
        const auto source = frame::openFrame(file);
        if (!source) {
            Console::complain(source.error());
            failures.push_back(source.error());
            continue;
        }
        files.push_back(file);
        headers.push_back((*source)->header());
    }
    json entries = json::array();
    if (arguments.differences) {
        printDifferences(arguments, files, headers, entries);
    } else {
        for (std::size_t i = 0; i < files.size(); ++i) {
            printHeader(arguments, files[i], headers[i], entries);
        }
    }
    if (arguments.console.json) {
        Console::print(json{{arguments.differences ? "differences" : "headers", entries},
                            {"files", files},
                            {"failures", night::failuresJson(failures)}});
    }
    return failures.empty() ? kDone : kSomeFailed;
}

} // namespace

void addHeaderVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<HeaderArguments>();
    CLI::App* verb =
        program.add_subcommand("header", "Show, search and compare the headers of frames");
    verb->add_option("frames", a->places, "Frames: files, and folders with all below them")
        ->required();
    verb->add_option("--find", a->find, "Only cards that hold this text");
    verb->add_flag(
        "--differences", a->differences, "Only keywords that are not the same in all files");
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return run(*a); }; });
}

} // namespace pathmark::command
