#include "command/console.h"
#include "core/base/text.h"
#include "core/samp/client.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <condition_variable>
#include <filesystem>
#include <memory>
#include <mutex>

namespace pathmark::command {
namespace {

namespace fs = std::filesystem;
using samp::Client;
using samp::Message;

struct SampArguments {
    Console console;
    std::string image;
    std::string table;
    std::vector<double> place;
    bool listens = false;
    int count = 0;
    double seconds = 0.0;
};

std::string fileUrl(const std::string& path) {
    std::string url = "file://";
    for (const char c : fs::absolute(path).lexically_normal().string()) {
        const bool isPlain = std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '/' ||
                             c == '.' || c == '-' || c == '_' || c == '~';
        url += isPlain
                   ? std::string(1, c)
                   : fmt::format("%{:02X}", static_cast<unsigned>(static_cast<unsigned char>(c)));
    }
    return url;
}

/// What is to be told, in the order of the options.
std::vector<Message> messagesOf(const SampArguments& a) {
    std::vector<Message> messages;
    if (!a.image.empty()) {
        const std::string url = fileUrl(a.image);
        messages.push_back(
            {"image.load.fits",
             {{"url", url}, {"image-id", url}, {"name", fs::path(a.image).filename()}}});
    }
    if (!a.table.empty()) {
        const std::string url = fileUrl(a.table);
        messages.push_back(
            {"table.load.votable",
             {{"url", url}, {"table-id", url}, {"name", fs::path(a.table).filename()}}});
    }
    if (a.place.size() == 2) {
        messages.push_back({"coord.pointAt.sky",
                            {{"ra", fmt::format("{:.7f}", a.place[0])},
                             {"dec", fmt::format("{:.7f}", a.place[1])}}});
    }
    return messages;
}

/// Tells the messages; how many programs listened to each.
Result<nlohmann::json> tellAll(const SampArguments& a) {
    const auto client = Client::joinOrStart({});
    if (!client) {
        return fail(client.error());
    }
    nlohmann::json told = nlohmann::json::array();
    for (const Message& message : messagesOf(a)) {
        const auto listeners = (*client)->tellAll(message);
        if (!listeners) {
            return fail(listeners.error());
        }
        told.push_back({{"kind", message.kind}, {"listeners", *listeners}});
    }
    return told;
}

/// Prints what comes, one JSON object a line, until so many came or so long has passed.
Result<bool> listen(const SampArguments& a) {
    std::mutex guard;
    std::condition_variable wake;
    int heard = 0;
    bool isGone = false;
    samp::ClientOptions options;
    options.subscriptions = {"*"};
    options.onMessage = [&](const std::string& sender, const Message& message) {
        const std::lock_guard lock(guard);
        if (!message.kind.starts_with("samp.hub.")) {
            Console::print(nlohmann::json{{"from", sender},
                                          {"kind", message.kind},
                                          {"values", message.parameters}}
                               .dump() +
                           "\n");
            ++heard;
            wake.notify_all();
        }
        return samp::okResponse();
    };
    options.onGone = [&] {
        const std::lock_guard lock(guard);
        isGone = true;
        wake.notify_all();
    };
    const auto client = Client::joinOrStart(options);
    if (!client) {
        return fail(client.error());
    }
    const Job job = a.console.job();
    const auto until = std::chrono::steady_clock::now() +
                       std::chrono::duration<double>(a.seconds > 0.0 ? a.seconds : 1e9);
    std::unique_lock lock(guard);
    while (!isGone && !job.stop.stop_requested() && (a.count == 0 || heard < a.count) &&
           std::chrono::steady_clock::now() < until) {
        wake.wait_for(lock, std::chrono::milliseconds(100));
    }
    return true;
}

int talk(const SampArguments& a) {
    if (a.listens) {
        const auto done = listen(a);
        if (!done) {
            Console::complain(done.error());
        }
        return done ? kDone : kSomeFailed;
    }
    if (messagesOf(a).empty()) {
        Console::complain({ErrorId::CommandWrongUse,
                           "Say what is to be sent: --image, --table or --place; or --listen.",
                           {}});
        return kWrongUse;
    }
    for (const std::string& file : {a.image, a.table}) {
        std::error_code status;
        if (!file.empty() && !fs::exists(file, status)) {
            Console::complain({ErrorId::FrameNotReadable, "There is no such file.", file});
            return kSomeFailed;
        }
    }
    const auto told = tellAll(a);
    if (!told) {
        Console::complain(told.error());
        return kSomeFailed;
    }
    if (a.console.json) {
        Console::print({{"done", true}, {"told", *told}});
    } else {
        for (const auto& one : *told) {
            a.console.say(fmt::format("{}: {} listened",
                                      one.at("kind").get<std::string>(),
                                      one.at("listeners").get<std::size_t>()));
        }
    }
    return kDone;
}

} // namespace

void addSampVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<SampArguments>();
    CLI::App* verb = program.add_subcommand(
        "samp", "Talk to the other programs of this desktop by their open messaging standard");
    verb->add_option("--image", a->image, "Send a FITS image");
    verb->add_option("--table", a->table, "Send a VOTable");
    verb->add_option("--place", a->place, "Send a place: right ascension and declination, degrees")
        ->expected(2);
    CLI::Option* listens = verb->add_flag("--listen", a->listens, "Print what comes, a line each");
    verb->add_option("--count", a->count, "So many, and end")->needs(listens);
    verb->add_option("--seconds", a->seconds, "So long, and end")->needs(listens);
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return talk(*a); }; });
}

} // namespace pathmark::command
