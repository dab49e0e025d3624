#include "command/console.h"
#include "command/open_night.h"
#include "core/night/failures_json.h"
#include "core/night/report/reported_night.h"
#include "core/night/report/sender.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <memory>

namespace pathmark::command {
namespace {

using night::Sender;
using night::Sending;
using night::SendingState;
using nlohmann::json;

struct SendArguments {
    Console console;
    std::string nightFile;
    std::string recipe;
    night::SendRequest request;
    std::string mail;
    bool yes = false;
    bool goOn = false;
    std::string arrived;
    std::string notArrived;
    std::string receipt;
    std::string withdraw;
    night::Patience patience{60.0, 1};
};

json sendingJson(const Sending& sending) {
    json lines = json::array();
    for (const night::SentLine& line : sending.lines) {
        lines.push_back({{"id", line.line},
                         {"body", line.body},
                         {"time", toIso(line.time)},
                         {"refused", line.isRefused},
                         {"words", line.words}});
    }
    return {{"id", sending.id},
            {"at", sending.at},
            {"address", sending.address},
            {"form", sending.form},
            {"state", name(sending.state)},
            {"tries", sending.tries},
            {"receipt", sending.receipt},
            {"words", sending.words},
            {"lines", std::move(lines)}};
}

/// What was sent and waits, and what would be sent now.
struct Overview {
    std::vector<Sending> sendings;
    std::vector<night::ReportLine> toBeSent;
};

Result<Overview> overviewOf(const night::NightFile& file, const night::Recipe& recipe) {
    const auto night = night::reportedOf(file);
    if (!night) {
        return fail(night.error());
    }
    Overview overview{night->sendings, {}};
    for (night::ReportLine& line : night::reportLines(*night, recipe)) {
        if (line.isToBeSent()) {
            overview.toBeSent.push_back(std::move(line));
        }
    }
    return overview;
}

json overviewJson(const Overview& overview) {
    json sendings = json::array();
    for (const Sending& sending : overview.sendings) {
        sendings.push_back(sendingJson(sending));
    }
    json lines = json::array();
    for (const night::ReportLine& line : overview.toBeSent) {
        json doubts = json::array();
        for (const night::Doubt& doubt : line.doubts) {
            doubts.push_back({{"doubt", name(doubt.kind)},
                              {"words", doubt.words},
                              {"waived", doubt.waived ? json(*doubt.waived) : json(nullptr)}});
        }
        lines.push_back({{"id", line.measurement},
                         {"body", line.observation.body},
                         {"time", toIso(line.observation.time)},
                         {"doubts", std::move(doubts)}});
    }
    return {{"sendings", std::move(sendings)}, {"to_be_sent", std::move(lines)}};
}

void say(const Console& console, const Overview& overview) {
    for (const Sending& sending : overview.sendings) {
        console.say(fmt::format("{}  {}  {:<9}  {} lines  {}{}{}",
                                sending.id.substr(0, 8),
                                sending.at.substr(0, 16),
                                name(sending.state),
                                sending.lines.size(),
                                sending.receipt,
                                sending.receipt.empty() || sending.words.empty() ? "" : ": ",
                                sending.words));
    }
    for (const night::ReportLine& line : overview.toBeSent) {
        for (const night::Doubt& doubt : line.doubts) {
            if (!doubt.waived) {
                console.say(fmt::format(
                    "{} {}  {}", line.observation.body, toIso(line.observation.time), doubt.words));
            }
        }
    }
    console.say(fmt::format("{} lines are to be sent.", overview.toBeSent.size()));
}

/// The address that was given, or that of the observer's list.
Result<std::string> addressOf(const SendArguments& a) {
    if (!a.request.address.empty()) {
        return a.request.address;
    }
    const auto addresses = night::serviceAddresses();
    if (!addresses) {
        return fail(addresses.error());
    }
    const auto known = addresses->find(a.mail.empty() ? night::kReportService : night::kReportMail);
    return known == addresses->end() ? std::string() : known->second;
}

/// Does what was asked; what fails goes to `failures`, what becomes of the reports is in the night file.
Result<bool> act(const SendArguments& a,
                 night::NightFile& file,
                 const night::Recipe& recipe,
                 std::vector<Error>& failures) {
    auto sender = Sender::open(file, a.patience);
    if (!sender) {
        return fail(sender.error());
    }
    const auto done = [](const Result<Sending>& result) -> Result<bool> {
        return result ? Result<bool>(true) : fail(result.error());
    };
    if (!a.withdraw.empty()) {
        return done(sender->withdraw(a.withdraw));
    }
    if (!a.arrived.empty() || !a.notArrived.empty()) {
        return done(sender->settle(
            a.arrived.empty() ? a.notArrived : a.arrived, !a.arrived.empty(), a.receipt));
    }
    const Job job = a.console.job();
    if (a.goOn) {
        const auto sendings = file.sendings();
        if (!sendings) {
            return fail(sendings.error());
        }
        for (const Sending& sending : *sendings) {
            if (!sending.isOpen()) {
                continue;
            }
            if (auto carried = sender->carry(sending.id, job); !carried) {
                failures.push_back(carried.error());
            }
        }
        return true;
    }
    night::SendRequest request = a.request;
    const auto address = addressOf(a);
    if (!address) {
        return fail(address.error());
    }
    request.address = *address;
    const auto prepared = sender->prepare(recipe, request);
    if (!prepared) {
        return fail(prepared.error());
    }
    return done(a.mail.empty()
                    ? sender->carry(prepared->id, job)
                    : sender->mail(prepared->id, request, recipe, night::wholePath(a.mail)));
}

int send(const SendArguments& a) {
    int status = kDone;
    auto file = openNight(a.nightFile, status);
    if (!file) {
        return status;
    }
    const auto recipe = recipeOf(*file, a.recipe, status);
    if (!recipe) {
        return status;
    }
    std::vector<Error> failures;
    const bool acts =
        a.yes || a.goOn || !a.arrived.empty() || !a.notArrived.empty() || !a.withdraw.empty();
    if (acts) {
        if (auto done = act(a, *file, *recipe, failures); !done) {
            failures.push_back(done.error());
        }
    }
    const auto overview = overviewOf(*file, *recipe);
    if (!overview) {
        Console::complain(overview.error());
        return kSomeFailed;
    }
    for (const Error& error : failures) {
        Console::complain(error);
    }
    if (a.console.json) {
        json document = overviewJson(*overview);
        document["done"] = failures.empty();
        document["failures"] = night::failuresJson(failures);
        Console::print(document);
    } else {
        say(a.console, *overview);
        if (!acts && !overview->toBeSent.empty()) {
            a.console.say("Nothing has left. With --yes they are sent.");
        }
    }
    return failures.empty() ? kDone : kSomeFailed;
}

} // namespace

void addSendVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<SendArguments>();
    CLI::App* verb = program.add_subcommand(
        "send", "Look at what would be reported, send it, and see what became of it");
    verb->add_option("night", a->nightFile, "The night file")->required();
    verb->add_flag(
        "--yes", a->yes, "Send the lines that were not sent yet; without it nothing leaves");
    verb->add_option(
        "--to", a->request.address, "The report desk; by default that of services.toml (reports)");
    verb->add_option("--format", a->request.form, "xml, psv or 80")
        ->check(CLI::IsMember({"xml", "psv", "80"}));
    verb->add_option("--mail", a->mail, "Write a mail file instead, for your own mail program")
        ->needs(verb->get_option("--yes"));
    verb->add_option("--contact", a->request.contact, "Your own address");
    verb->add_option("--recipe", a->recipe, "Another recipe than that of the last run");
    verb->add_option("--timeout", a->patience.timeoutSeconds, "Seconds without a byte")
        ->check(CLI::PositiveNumber);
    CLI::Option* goOn = verb->add_flag(
        "--go-on", a->goOn, "Send what waits, and ask about what may or may not have arrived");
    CLI::Option* arrived =
        verb->add_option("--arrived", a->arrived, "A report in doubt, by its id: it did arrive");
    CLI::Option* notArrived = verb->add_option(
        "--not-arrived", a->notArrived, "A report in doubt: it did not, and waits again");
    verb->add_option("--receipt", a->receipt, "What the desk called it")->needs(arrived);
    CLI::Option* withdraw =
        verb->add_option("--withdraw", a->withdraw, "A report that waits: it is not sent");
    for (CLI::Option* one : {goOn, arrived, notArrived, withdraw}) {
        one->excludes(verb->get_option("--yes"));
    }
    arrived->excludes(notArrived);
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return send(*a); }; });
}

} // namespace pathmark::command
