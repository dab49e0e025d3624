#include "core/night/report/sender.h"

#include "core/base/atomic_file.h"
#include "core/base/hash.h"
#include "core/base/now.h"
#include "core/night/report/desk_answer.h"
#include "core/night/report/mail_text.h"
#include "core/night/report/reported_night.h"

#include <fmt/format.h>

#include <algorithm>
#include <random>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

constexpr std::size_t kMostAnswer = 1'000'000;

/// Never the same twice, whatever clock the machine has.
std::string newId(const std::string& text) {
    std::random_device random;
    Digest digest;
    digest.add(toIso(utcNow()))
        .add(text)
        .add(static_cast<double>(random()))
        .add(static_cast<double>(random()));
    return digest.hex();
}

const char* mediaType(const std::string& form) {
    return form == "xml" ? "application/xml" : "text/plain";
}

/// "report XXX 2034-03-17, 45 lines"
std::string mailTitle(const Sending& sending, const Recipe& recipe) {
    return fmt::format("report {} {}, {} lines",
                       recipe.head.stationCode,
                       sending.lines.empty() ? ""
                                             : toIso(sending.lines.front().time, 0).substr(0, 10),
                       sending.lines.size());
}

SentLine sentLineOf(const ReportLine& line) {
    const report::Observation& o = line.observation;
    return {line.measurement, o.body, o.time, o.sky, o.magnitude, false, {}};
}

Error doubted(std::size_t lines) {
    return {ErrorId::ReportDoubted,
            fmt::format("{} {} in doubt; mend them, leave them out, or wave them through with a "
                        "reason.",
                        lines,
                        lines == 1 ? "line is" : "lines are"),
            {}};
}

} // namespace

Result<Sender> Sender::open(NightFile& file, const Patience& patience, OnStep onStep) {
    const fs::path folder = file.path().parent_path() / "sent";
    if (auto made = makeFolder(folder); !made) {
        return fail(made.error());
    }
    auto lock = FolderLock::take(folder);
    if (!lock) {
        return lock.error().id == ErrorId::NightInUse
                   ? fail(ErrorId::NightInUse,
                          "Another window or program is sending reports of this night; wait until "
                          "it has done.",
                          file.path().string())
                   : fail(lock.error());
    }
    return Sender(file, std::move(*lock), patience, std::move(onStep));
}

Result<bool> Sender::keep(const Sending& sending) {
    return file_->putSending(sending);
}

Result<Sending> Sender::keepAs(Sending sending, SendingState state, const std::string& words) {
    sending.state = state;
    sending.words = words;
    const auto kept = keep(sending);
    return kept ? Result<Sending>(std::move(sending)) : fail(kept.error());
}

Result<Sending> Sender::find(const std::string& id) const {
    const auto sendings = file_->sendings();
    if (!sendings) {
        return fail(sendings.error());
    }
    const auto found = std::find_if(sendings->begin(), sendings->end(), [&](const Sending& s) {
        return !id.empty() && s.id.starts_with(id);
    });
    if (found == sendings->end()) {
        return fail(
            ErrorId::NightUnknownId, "No report of this night that was sent has that id.", id);
    }
    return *found;
}

Result<Sending> Sender::prepare(const Recipe& recipe, const SendRequest& request) {
    const auto form = reportFormNamed(request.form);
    if (!form) {
        return fail(ErrorId::CommandWrongUse, "A report is sent as xml, psv or 80.", request.form);
    }
    const auto night = reportedOf(*file_);
    if (!night) {
        return fail(night.error());
    }
    Sending sending;
    std::vector<std::string> chosen;
    std::size_t inDoubt = 0;
    for (const ReportLine& line : reportLines(*night, recipe)) {
        if (line.isToBeSent()) {
            chosen.push_back(line.measurement);
            sending.lines.push_back(sentLineOf(line));
            inDoubt += line.isDoubted() ? 1 : 0;
        }
    }
    if (inDoubt > 0) {
        return fail(doubted(inDoubt));
    }
    if (chosen.empty()) {
        return fail(ErrorId::ReportNothingToReport,
                    "Every line that is kept was sent already, or none is kept.");
    }
    std::vector<Error> leftOut;
    auto text = reportText(*night, recipe, *form, leftOut, &chosen);
    if (!text) {
        return fail(text.error());
    }
    for (const Error& error : leftOut) {
        std::erase_if(sending.lines,
                      [&](const SentLine& line) { return line.body == error.subject; });
    }
    sending.text = std::move(*text);
    sending.form = request.form;
    sending.address = request.address;
    sending.at = toIso(utcNow());
    sending.id = newId(sending.text);
    step("prepare");
    return keepAs(std::move(sending), SendingState::Waiting, {});
}

Result<bool> Sender::isKnownThere(Sending& sending, const Job& job) const {
    catalog::HttpRequest request;
    request.url = catalog::withoutSlash(sending.address) + "/" + sending.id;
    request.timeoutSeconds = patience_.timeoutSeconds;
    request.mostBytes = kMostAnswer;
    const auto answer = catalog::sendRequest(request, job.stop);
    if (!answer) {
        return fail(
            answer.error().id == ErrorId::BaseCancelled ? ErrorId::BaseCancelled
                                                        : ErrorId::ReportUnsure,
            "It is not known whether the report arrived, and the desk cannot be asked now: " +
                answer.error().detail,
            sending.address);
    }
    switch (takeStatus(*answer, sending)) {
    case DeskKnows::Taken: return true;
    case DeskKnows::Nothing: return false;
    case DeskKnows::Working:
        return fail(ErrorId::ReportUnsure,
                    "The desk has the report and works on it; ask again later.",
                    sending.address);
    case DeskKnows::CannotTell: break;
    }
    return fail(
        ErrorId::ReportUnsure,
        "It is not known whether the report arrived, and this desk cannot tell; ask its people, "
        "then say whether it did.",
        sending.address);
}

Result<Sending> Sender::carry(const std::string& id, const Job& job) {
    auto sending = find(id);
    if (!sending || !sending->isOpen()) {
        return sending;
    }
    if (sending->address.empty()) {
        return fail(ErrorId::ReportNotSent,
                    "There is no address of a report desk; name it as reports in services.toml, or "
                    "by --to. The report waits.",
                    sending->id);
    }
    if (sending->state != SendingState::Waiting) {
        step("ask");
        const auto known = isKnownThere(*sending, job);
        if (!known) {
            const auto kept = keepAs(*sending, SendingState::Unsure, known.error().detail);
            return fail(kept ? known.error() : kept.error());
        }
        if (*known) {
            step("receipt");
            return keepAs(*sending, SendingState::Taken, sending->words);
        }
    }
    return post(std::move(*sending), job);
}

Result<Sending> Sender::post(Sending sending, const Job& job) {
    ++sending.tries;
    step("underway");
    auto underway = keepAs(sending, SendingState::Underway, {});
    if (!underway) {
        return underway;
    }
    bool hasLeft = false;
    catalog::HttpRequest request;
    request.url = sending.address;
    request.timeoutSeconds = patience_.timeoutSeconds;
    request.mostBytes = kMostAnswer;
    request.follows = false;
    request.hasLeft = &hasLeft;
    request.headers = {"Idempotency-Key: \"" + sending.id + "\"",
                       "Accept: application/json, text/plain"};
    request.parts = {{"ack", "report " + sending.id, {}, {}},
                     {"source",
                      sending.text,
                      reportFile(*reportFormNamed(sending.form)),
                      mediaType(sending.form)}};
    step("post");
    const auto answer = catalog::sendRequest(request, job.stop);
    step("answered");
    if (!answer) {
        const bool waits = !hasLeft;
        const std::string words = answer.error().detail;
        auto kept =
            keepAs(std::move(sending), waits ? SendingState::Waiting : SendingState::Unsure, words);
        if (!kept || answer.error().id == ErrorId::BaseCancelled) {
            return fail(kept ? answer.error() : kept.error());
        }
        return fail(waits ? ErrorId::ReportNotSent : ErrorId::ReportUnsure,
                    waits ? words + " The report waits."
                          : "It is not known whether the report arrived: " + words,
                    kept->address);
    }
    const SendingState state = takeAnswer(*answer, sending);
    const std::string words = sending.words;
    auto kept = keepAs(std::move(sending), state, words);
    if (!kept || state == SendingState::Taken) {
        return kept;
    }
    switch (state) {
    case SendingState::Refused:
        return fail(ErrorId::ReportRefused, "Refused: " + words, kept->address);
    case SendingState::Unsure:
        return fail(ErrorId::ReportUnsure,
                    "It is not known whether the report arrived: " + words,
                    kept->address);
    default: return fail(ErrorId::ReportNotSent, words + " The report waits.", kept->address);
    }
}

Result<Sending> Sender::mail(const std::string& id,
                             const SendRequest& request,
                             const Recipe& recipe,
                             const fs::path& target) {
    auto sending = find(id);
    if (!sending) {
        return sending;
    }
    if (sending->state != SendingState::Waiting) {
        return fail(ErrorId::NightUnknownId, "That report does not wait.", id);
    }
    const Mail mail{request.contact,
                    request.address,
                    mailTitle(*sending, recipe),
                    sending->at,
                    sending->id,
                    sending->text};
    step("mail");
    if (auto written = writeWholeText(target, toMailText(mail)); !written) {
        return fail(written.error());
    }
    step("mailed");
    sending->address = target.string();
    return keepAs(std::move(*sending), SendingState::Mailed, {});
}

Result<Sending> Sender::settle(const std::string& id, bool arrived, const std::string& receipt) {
    auto sending = find(id);
    if (!sending) {
        return sending;
    }
    if (sending->state != SendingState::Unsure && sending->state != SendingState::Underway) {
        return fail(ErrorId::NightUnknownId, "Nothing is in doubt about that report.", id);
    }
    if (arrived) {
        sending->receipt = receipt.empty() ? "told by the observer" : receipt;
    }
    return keepAs(std::move(*sending),
                  arrived ? SendingState::Taken : SendingState::Waiting,
                  arrived ? "The observer says that it arrived."
                          : "The observer says that it did not arrive.");
}

Result<Sending> Sender::withdraw(const std::string& id) {
    auto sending = find(id);
    if (!sending) {
        return sending;
    }
    if (sending->state != SendingState::Waiting) {
        return fail(
            ErrorId::NightUnknownId, "That report does not wait: it cannot be taken back.", id);
    }
    return keepAs(std::move(*sending), SendingState::Withdrawn, "Taken back.");
}

} // namespace pathmark::night
