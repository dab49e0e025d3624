#pragma once

#include "core/base/folder_lock.h"
#include "core/base/job.h"
#include "core/night/night_file.h"
#include "core/night/recipe.h"
#include "core/night/report/sending_record.h"
#include "core/night/services.h"

#include <filesystem>
#include <functional>
#include <string>
#include <vector>

namespace pathmark::night {

/// What is to be sent, and where.
struct SendRequest {
    std::string
        address; ///< of the report desk, or of the mail's receiver; may be empty for a mail file
    std::string form = "xml";
    std::string contact; ///< the observer's own address, for the desk's answers; may be empty
};

/// Sends the reports of a night, one program at a time: never a line twice unless the observer says so, and nothing is lost wherever the
/// program ends.
///
/// Model    The bytes are in the night file before anything leaves. Before they leave, the file says that they do. Where that is all
///          that is known (the program ended, the answer broke off), the desk is asked for the report by its id, and it is sent
///          again only where the desk has it not; a desk that cannot tell is asked by a person.
/// Protocol POST, multipart/form-data: `source` (the report, a file), `ack` (what it is), `ac2` (the contact's address), with the
///          header Idempotency-Key; GET address/ID asks for one that was sent. Answers: docs/file-formats.md, "What a report desk answers".
class Sender {
  public:
    /// Told before each step that must not be lost: the tests end the program there.
    using OnStep = std::function<void(const char* step)>;

    /// Errors   night.in_use  another program sends; base.cannot_write
    static Result<Sender> open(NightFile& file, const Patience& patience, OnStep onStep = {});

    /// Makes a report of the lines that are to be sent, and keeps it; nothing leaves.
    ///
    /// Errors   report.doubted  a line is in doubt that nobody waived
    ///          report.nothing_to_report, report.not_valid, orbit.unknown_site, report.not_sent  no address
    Result<Sending> prepare(const Recipe& recipe, const SendRequest& request);

    /// Sends what is open, or learns what became of it. What is kept is the truth also where this fails.
    ///
    /// Errors   report.not_sent  it waits; report.unsure, report.refused; base.cancelled; night.unknown_id
    Result<Sending> carry(const std::string& id, const Job& job);

    /// Writes a prepared report as a mail file; the observer's mail program sends it.
    ///
    /// Errors   base.cannot_write, base.disk_full, night.unknown_id
    Result<Sending> mail(const std::string& id,
                         const SendRequest& request,
                         const Recipe& recipe,
                         const std::filesystem::path& target);

    /// Says what nobody else can tell: that a report arrived, with its receipt, or did not, and waits again.
    ///
    /// Errors   night.unknown_id  no such report, or none in doubt
    Result<Sending> settle(const std::string& id, bool arrived, const std::string& receipt);

    /// Takes back a report that waits.
    ///
    /// Errors   night.unknown_id  no such report, or it has left
    Result<Sending> withdraw(const std::string& id);

    /// By its id, or the beginning of it.
    ///
    /// Errors   night.unknown_id
    [[nodiscard]] Result<Sending> find(const std::string& id) const;

  private:
    Sender(NightFile& file, FolderLock lock, const Patience& patience, OnStep onStep)
        : file_(&file), lock_(std::move(lock)), patience_(patience), onStep_(std::move(onStep)) {}

    void step(const char* name) const {
        if (onStep_) {
            onStep_(name);
        }
    }

    Result<bool> keep(const Sending& sending);
    Result<Sending> keepAs(Sending sending, SendingState state, const std::string& words);
    Result<Sending> post(Sending sending, const Job& job);

    /// Whether the desk has it; what it answers is taken in where it has.
    Result<bool> isKnownThere(Sending& sending, const Job& job) const;

    NightFile* file_;
    FolderLock lock_;
    Patience patience_;
    OnStep onStep_;
};

} // namespace pathmark::night
