#include "core/catalog/remote_file.h"

#include "core/base/atomic_file.h"
#include "core/base/copy_files.h"
#include "core/base/pause.h"
#include "core/base/text.h"
#include "core/catalog/http_client.h"

#include <fmt/format.h>

#include <chrono>
#include <fstream>
#include <map>

namespace pathmark::catalog {
namespace {

namespace fs = std::filesystem;

/// What a server said of a file: lines of "name: value".
using Memory = std::map<std::string, std::string>;

fs::path beside(const fs::path& target, const char* ending) {
    return fs::path(target.string() + ending);
}

Memory readMemory(const fs::path& path) {
    Memory memory;
    std::ifstream stream(path);
    for (std::string line; std::getline(stream, line);) {
        const auto colon = line.find(": ");
        if (colon != std::string::npos) {
            memory[line.substr(0, colon)] = line.substr(colon + 2);
        }
    }
    return memory;
}

Result<bool> writeMemory(const fs::path& path, const Memory& memory) {
    std::string text;
    for (const auto& [name, value] : memory) {
        text += fmt::format("{}: {}\n", name, value);
    }
    return writeWholeText(path, text);
}

/// Since when the machine is on: what lay in its memory when its power went may be missing of a file.
std::string powerOnId() {
    std::ifstream stream("/proc/sys/kernel/random/boot_id");
    std::string id;
    std::getline(stream, id);
    return id;
}

Memory memoryOf(const std::string& url, const HttpAnswer& answer) {
    Memory memory{{"url", url}};
    for (const char* name : {"etag", "last-modified"}) {
        if (const auto said = answer.headers.find(name); said != answer.headers.end()) {
            memory[name] = said->second;
        }
    }
    return memory;
}

/// What tells one state of a file from another, strong enough for a part of it; empty where the server said none.
std::string validatorOf(const Memory& memory) {
    for (const char* name : {"etag", "last-modified"}) {
        const auto said = memory.find(name);
        if (said != memory.end() && said->second.substr(0, 2) != "W/") {
            return said->second;
        }
    }
    return {};
}

/// One transfer: what came lies in TARGET.part.
class PartTransfer {
  public:
    explicit PartTransfer(const RemoteFile& file)
        : file_(file), part_(beside(file.target, ".part")),
          partMemory_(beside(file.target, ".part-of")) {}

    Result<HttpAnswer> run(const Job& job);

    [[nodiscard]] const fs::path& part() const { return part_; }

    void forget() const {
        std::error_code ignored;
        fs::remove(part_, ignored);
        fs::remove(partMemory_, ignored);
    }

  private:
    void addConditions(HttpRequest& request);
    [[nodiscard]] bool goesOn(const HttpAnswer& head) const;
    bool take(long status, std::string_view bytes);

    const RemoteFile& file_;
    fs::path part_;
    fs::path partMemory_;
    std::ofstream stream_;
    bool hasStarted_ = false;
    bool isWritten_ = true;
    std::string words_; ///< the beginning of a refusal
};

void PartTransfer::addConditions(HttpRequest& request) {
    std::error_code ignored;
    const Memory before = readMemory(partMemory_);
    const auto size = fs::file_size(part_, ignored);
    const std::string validator = validatorOf(before);
    const auto power = before.find("power-on");
    if (!ignored && size > 0 && !validator.empty() && before.at("url") == file_.url &&
        power != before.end() && power->second == powerOnId()) {
        request.headers.push_back(fmt::format("Range: bytes={}-", size));
        request.headers.push_back("If-Range: " + validator);
        return;
    }
    forget();
    const Memory kept = readMemory(beside(file_.target, ".fetched"));
    if (!fs::exists(file_.target, ignored) || kept.empty() || kept.at("url") != file_.url) {
        return;
    }
    if (const auto etag = kept.find("etag"); etag != kept.end()) {
        request.headers.push_back("If-None-Match: " + etag->second);
    }
    if (const auto modified = kept.find("last-modified"); modified != kept.end()) {
        request.headers.push_back("If-Modified-Since: " + modified->second);
    }
}

/// Whether an answer begins where the part that is here ends.
bool PartTransfer::goesOn(const HttpAnswer& head) const {
    std::error_code ignored;
    const auto said = head.headers.find("content-range");
    return said != head.headers.end() &&
           said->second.rfind(fmt::format("bytes {}-", fs::file_size(part_, ignored)), 0) == 0;
}

bool PartTransfer::take(long status, std::string_view bytes) {
    if (status != 200 && status != 206) {
        words_.append(bytes.substr(0, 200));
        return true;
    }
    if (!hasStarted_) {
        hasStarted_ = true;
        stream_.open(part_, status == 206 ? std::ios::binary | std::ios::app : std::ios::binary);
    }
    stream_.write(bytes.data(), static_cast<std::streamsize>(bytes.size()));
    isWritten_ = stream_.good();
    return isWritten_;
}

Result<HttpAnswer> PartTransfer::run(const Job& job) {
    hasStarted_ = false;
    words_.clear();
    HttpRequest request;
    request.url = file_.url;
    request.timeoutSeconds = file_.timeoutSeconds;
    request.onBytes = [this](long status, std::string_view bytes) { return take(status, bytes); };
    addConditions(request);
    Memory said;
    auto answer = sendRequest(request, job.stop, [&](const HttpAnswer& head) {
        // Kept at once: whatever comes of the rest, a next time can go on from here.
        if (head.status == 200) {
            said = memoryOf(file_.url, head);
            said["power-on"] = powerOnId();
            return writeMemory(partMemory_, said).has_value();
        }
        return head.status != 206 || goesOn(head);
    });
    if (stream_.is_open()) {
        stream_.close();
        isWritten_ = isWritten_ && stream_.good(); // the last of it is written only now
    }
    stream_.clear();
    if (!isWritten_) {
        return fail(writeError(errno, part_));
    }
    if (answer) {
        answer->body = words_;
    }
    return answer;
}

/// What is whole takes the place of the older file.
Result<FetchedFile>
accept(const RemoteFile& file, const PartTransfer& transfer, const HttpAnswer& answer) {
    if (file.check) {
        if (auto good = file.check(transfer.part()); !good) {
            transfer.forget();
            return fail(good.error());
        }
    }
    std::error_code problem;
    const auto bytes = fs::file_size(transfer.part(), problem);
    if (auto moved = moveIntoPlace(transfer.part(), file.target); !moved) {
        return fail(moved.error());
    }
    transfer.forget();
    if (auto kept = writeMemory(beside(file.target, ".fetched"), memoryOf(file.url, answer));
        !kept) {
        return fail(kept.error());
    }
    return FetchedFile{true, bytes};
}

} // namespace

Result<FetchedFile> fetchFile(const RemoteFile& file, const Job& job) {
    if (auto made = makeFolder(file.target.parent_path()); !made) {
        return fail(made.error());
    }
    PartTransfer transfer(file);
    Error last{ErrorId::CatalogNoAnswer, "The service was not asked.", file.url};
    bool isAskedAnew = false;
    for (int attempt = 0; attempt < std::max(1, file.tries); ++attempt) {
        if (attempt > 0 && !pauseFor(std::chrono::milliseconds(500 << attempt), job.stop)) {
            return fail(ErrorId::BaseCancelled, "Stopped while waiting for the service.", file.url);
        }
        const auto answer = transfer.run(job);
        if (!answer) {
            if (answer.error().id != ErrorId::CatalogNoAnswer) {
                return fail(answer.error());
            }
            last = answer.error();
            continue;
        }
        if (answer->status == 304) {
            std::error_code ignored;
            fs::last_write_time(beside(file.target, ".fetched"),
                                fs::file_time_type::clock::now(),
                                ignored); // it was asked for today
            return FetchedFile{false, fs::file_size(file.target, ignored)};
        }
        if (answer->status == 200 || answer->status == 206) {
            return accept(file, transfer, *answer);
        }
        const bool isStale = answer->status == 416; // the part that is here is none of the file
        const bool isRefused = isRefusal(answer->status) && !isStale;
        last = {isRefused ? ErrorId::CatalogServiceRefused : ErrorId::CatalogNoAnswer,
                fmt::format("The service answered HTTP {}: {}",
                            answer->status,
                            std::string(trim(answer->body)).substr(0, 120)),
                file.url};
        if (isRefused) {
            break;
        }
        if (isStale) {
            transfer.forget();
            attempt -= isAskedAnew ? 0 : 1; // the whole of it is asked for, once without counting
            isAskedAnew = true;
        }
    }
    return fail(std::move(last));
}

} // namespace pathmark::catalog
