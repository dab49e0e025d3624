#pragma once

#include <cstdint>
#include <cstring>
#include <string>
#include <vector>

// What a program did to the files under a folder, as the preloaded recorder writes it and the replay of a power cut reads it.
namespace pathmark::test_support {

enum class CallKind : std::uint8_t {
    Create, ///< a file that was not there
    Write,
    Resize,
    Rename,
    Remove,
    Link,
    Folder,
    Sync, ///< of a file or a folder
    Said, ///< the test's own mark: what the program has answered by then
};

struct RecordedCall {
    CallKind kind = CallKind::Said;
    std::string path;
    std::string other; ///< the new name
    std::int64_t at = 0;
    std::string data;
};

namespace recorded_call {

inline void put(std::string& bytes, const void* data, std::size_t size) {
    bytes.append(static_cast<const char*>(data), size);
}

inline void putText(std::string& bytes, const std::string& text) {
    const auto size = static_cast<std::uint64_t>(text.size());
    put(bytes, &size, sizeof size);
    bytes += text;
}

} // namespace recorded_call

inline std::string toBytes(const RecordedCall& call) {
    std::string bytes;
    recorded_call::put(bytes, &call.kind, sizeof call.kind);
    recorded_call::putText(bytes, call.path);
    recorded_call::putText(bytes, call.other);
    recorded_call::put(bytes, &call.at, sizeof call.at);
    recorded_call::putText(bytes, call.data);
    return bytes;
}

/// Domain   What toBytes wrote, one after the other.
inline std::vector<RecordedCall> recordedCalls(const std::string& bytes) {
    std::vector<RecordedCall> calls;
    std::size_t place = 0;
    const auto take = [&](void* into, std::size_t size) {
        std::memcpy(into, bytes.data() + place, size);
        place += size;
    };
    const auto takeText = [&] {
        std::uint64_t size = 0;
        take(&size, sizeof size);
        std::string text = bytes.substr(place, size);
        place += size;
        return text;
    };
    while (place < bytes.size()) {
        RecordedCall call;
        take(&call.kind, sizeof call.kind);
        call.path = takeText();
        call.other = takeText();
        take(&call.at, sizeof call.at);
        call.data = takeText();
        calls.push_back(std::move(call));
    }
    return calls;
}

} // namespace pathmark::test_support
