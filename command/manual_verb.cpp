#include "command/console.h"
#include "command/manual.h"
#include "core/base/atomic_file.h"

#include <CLI/CLI.hpp>

#include <filesystem>
#include <memory>

namespace pathmark::command {
namespace {

struct ManualArguments {
    std::string out;
    std::string date;
};

int writeManual(const CLI::App& program, const ManualArguments& a) {
    const std::filesystem::path out(a.out);
    auto done = makeFolder(out);
    auto files = manualPages(program, a.date);
    files.emplace_back("pathmark.bash", bashCompletion(program));
    files.emplace_back("_pathmark", zshCompletion(program));
    for (const auto& [name, text] : files) {
        if (done) {
            done = writeWholeText(out / name, text);
        }
    }
    if (!done) {
        Console::complain(done.error());
        return kSomeFailed;
    }
    return kDone;
}

} // namespace

void addManualVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<ManualArguments>();
    CLI::App* verb =
        program.add_subcommand("manual", "Write the manual pages, and completion for bash and zsh");
    verb->group(""); // for those who make packages
    verb->add_option("--out", a->out, "Where they go")->required();
    verb->add_option("--date", a->date, "Of the pages, as 2034-03-17")->required();
    verb->final_callback(
        [a, &program, &chosen] { chosen = [a, &program] { return writeManual(program, *a); }; });
}

} // namespace pathmark::command
