#include "tests/support/power_cut.h"

#include "tests/support/shell.h"

#include <algorithm>
#include <fstream>

namespace pathmark::test_support {
namespace {

namespace fs = std::filesystem;

constexpr std::size_t kPage = 4096;

std::string folderOf(const std::string& path) {
    return fs::path(path).parent_path().string();
}

bool changesNames(CallKind kind) {
    return kind == CallKind::Create || kind == CallKind::Rename || kind == CallKind::Remove ||
           kind == CallKind::Link || kind == CallKind::Folder;
}

void apply(const RecordedCall& call, std::string& content) {
    const auto at = static_cast<std::size_t>(call.at);
    if (call.kind == CallKind::Resize) {
        content.resize(at);
        return;
    }
    if (content.size() < at + call.data.size()) {
        content.resize(at + call.data.size());
    }
    content.replace(at, call.data.size(), call.data);
}

/// Only some pages of what is written; the file is as long as if all were.
void applyPages(const RecordedCall& call, std::string& content, std::mt19937_64& random) {
    if (call.kind == CallKind::Resize) {
        apply(call, content);
        return;
    }
    const auto at = static_cast<std::size_t>(call.at);
    content.resize(std::max(content.size(), at + call.data.size()));
    for (std::size_t from = 0; from < call.data.size();) {
        const std::size_t to = std::min(call.data.size(), ((at + from) / kPage + 1) * kPage - at);
        if (random() % 2 == 0) {
            content.replace(at + from, to - from, call.data, from, to - from);
        }
        from = to;
    }
}

std::size_t between(std::size_t least, std::size_t most, std::mt19937_64& random) {
    return std::uniform_int_distribution<std::size_t>(least, most)(random);
}

} // namespace

PowerCut::PowerCut(std::vector<RecordedCall> calls, fs::path root)
    : calls_(std::move(calls)), root_(std::move(root)) {
    Names names;
    std::set<std::string> folders{root_.string()};
    for (std::size_t k = 0; k < calls_.size(); ++k) {
        const RecordedCall& call = calls_[k];
        if (call.kind == CallKind::Create) {
            created_[k] = files_.size();
            files_.emplace_back();
        }
        applyName(k, names, folders);
        const auto found = names.find(call.path);
        if (found == names.end()) {
            continue; // a folder, or a file that has no name any more
        }
        if (call.kind == CallKind::Write || call.kind == CallKind::Resize ||
            call.kind == CallKind::Sync) {
            files_[found->second].steps.push_back({k, call.kind == CallKind::Sync});
        }
    }
    names.clear();
    for (std::size_t k = 0; k < calls_.size(); ++k) {
        applyName(k, names, folders);
        const std::string& name =
            calls_[k].kind == CallKind::Rename || calls_[k].kind == CallKind::Link ? calls_[k].other
                                                                                   : calls_[k].path;
        if (const auto found = names.find(name); found != names.end()) {
            ever_[name].insert(wholeOf(files_[found->second], calls_.size()));
        }
    }
}

std::string PowerCut::wholeOf(const File& file, std::size_t cut) const {
    std::string content;
    for (const Step& step : file.steps) {
        if (step.call < cut && !step.isSync) {
            apply(calls_[step.call], content);
        }
    }
    return content;
}

std::string PowerCut::leftOf(const File& file, std::size_t cut, std::mt19937_64& random) const {
    std::size_t synced = 0;
    std::size_t before = 0;
    for (std::size_t k = 0; k < file.steps.size() && file.steps[k].call < cut; ++k) {
        before = k + 1;
        synced = file.steps[k].isSync ? k + 1 : synced;
    }
    std::string content;
    for (std::size_t k = 0; k < synced; ++k) {
        if (!file.steps[k].isSync) {
            apply(calls_[file.steps[k].call], content);
        }
    }
    const std::size_t manner = random() % 4;
    const std::size_t end = manner == 0   ? synced
                            : manner == 1 ? between(synced, before, random)
                                          : before;
    for (std::size_t k = synced; k < end; ++k) {
        if (manner == 3) {
            applyPages(calls_[file.steps[k].call], content, random);
        } else {
            apply(calls_[file.steps[k].call], content);
        }
    }
    return content;
}

void PowerCut::applyName(std::size_t k, Names& names, std::set<std::string>& folders) const {
    const RecordedCall& call = calls_[k];
    switch (call.kind) {
    case CallKind::Create:
        if (folders.count(folderOf(call.path)) != 0) {
            names[call.path] = created_.at(k);
        }
        break;
    case CallKind::Folder:
        if (folders.count(folderOf(call.path)) != 0 || call.path == root_.string()) {
            folders.insert(call.path);
        }
        break;
    case CallKind::Remove:
        names.erase(call.path);
        folders.erase(call.path);
        break;
    case CallKind::Link:
        if (const auto found = names.find(call.path); found != names.end()) {
            names[call.other] = found->second;
        }
        break;
    case CallKind::Rename: {
        if (const auto found = names.find(call.path); found != names.end()) {
            names[call.other] = found->second;
            names.erase(call.path);
            break;
        }
        // A folder with all in it.
        const std::string below = call.path + "/";
        Names movedNames;
        std::set<std::string> movedFolders;
        for (const auto& [name, file] : names) {
            const bool isBelow = name.rfind(below, 0) == 0;
            movedNames[isBelow ? call.other + "/" + name.substr(below.size()) : name] = file;
        }
        for (const std::string& name : folders) {
            const bool isBelow = name == call.path || name.rfind(below, 0) == 0;
            movedFolders.insert(isBelow ? call.other + name.substr(call.path.size()) : name);
        }
        names = std::move(movedNames);
        folders = std::move(movedFolders);
        break;
    }
    case CallKind::Write:
    case CallKind::Resize:
    case CallKind::Sync:
    case CallKind::Said: break;
    }
}

/// Of each call before the cut whether its change of a name survives.
std::vector<bool>
PowerCut::namesLeft(std::size_t cut, NameOrder order, std::mt19937_64& random) const {
    std::map<std::string, std::size_t> settled; // calls before it survive
    std::map<std::string, std::size_t> last;
    const auto keyOf = [&](const RecordedCall& call) {
        return order == NameOrder::Journal                                    ? std::string()
               : call.kind == CallKind::Rename || call.kind == CallKind::Link ? folderOf(call.other)
                                                                              : folderOf(call.path);
    };
    for (std::size_t k = 0; k < cut; ++k) {
        const RecordedCall& call = calls_[k];
        if (call.kind == CallKind::Sync) {
            settled[order == NameOrder::Journal ? std::string() : call.path] = k;
        } else if (changesNames(call.kind)) {
            last[keyOf(call)] = k + 1;
        }
    }
    std::map<std::string, std::size_t> end;
    for (const auto& [folder, most] : last) {
        const auto found = settled.find(folder);
        const std::size_t least = found == settled.end() ? 0 : found->second;
        end[folder] = between(std::min(least, most), most, random);
    }
    std::vector<bool> left(cut, false);
    for (std::size_t k = 0; k < cut; ++k) {
        left[k] = changesNames(calls_[k].kind) && k < end[keyOf(calls_[k])];
    }
    return left;
}

void PowerCut::write(const Names& names,
                     const std::set<std::string>& folders,
                     const std::vector<std::string>& contents) const {
    std::error_code ignored;
    fs::remove_all(root_, ignored);
    for (const std::string& folder : folders) {
        fs::create_directories(folder);
    }
    for (const auto& [name, file] : names) {
        std::ofstream(name, std::ios::binary) << contents[file];
    }
}

void PowerCut::restore(std::size_t cut, NameOrder order, std::mt19937_64& random) const {
    Names names;
    std::set<std::string> folders{root_.string()};
    const std::vector<bool> left = namesLeft(cut, order, random);
    for (std::size_t k = 0; k < cut; ++k) {
        if (left[k]) {
            applyName(k, names, folders);
        }
    }
    std::vector<std::string> contents(files_.size());
    for (const auto& [name, file] : names) {
        contents[file] = leftOf(files_[file], cut, random);
    }
    write(names, folders, contents);
}

void PowerCut::restoreAll() const {
    Names names;
    std::set<std::string> folders{root_.string()};
    std::vector<std::string> contents(files_.size());
    for (std::size_t k = 0; k < calls_.size(); ++k) {
        applyName(k, names, folders);
    }
    for (const auto& [name, file] : names) {
        contents[file] = wholeOf(files_[file], calls_.size());
    }
    write(names, folders, contents);
}

std::vector<std::string> PowerCut::halfThere(const std::vector<std::string>& but) const {
    std::vector<std::string> half;
    for (const auto& entry : fs::recursive_directory_iterator(root_)) {
        const std::string name = entry.path().filename().string();
        if (!entry.is_regular_file() || name.front() == '.' ||
            std::any_of(but.begin(), but.end(), [&](const std::string& part) {
                return name.find(part) != std::string::npos;
            })) {
            continue;
        }
        const auto found = ever_.find(entry.path().string());
        if (found == ever_.end() || found->second.count(contentOf(entry.path())) == 0) {
            half.push_back(entry.path().string());
        }
    }
    return half;
}

std::set<std::string> PowerCut::saidBefore(std::size_t cut) const {
    std::set<std::string> said;
    for (std::size_t k = 0; k < cut; ++k) {
        if (calls_[k].kind == CallKind::Said) {
            said.insert(calls_[k].data);
        }
    }
    return said;
}

} // namespace pathmark::test_support
