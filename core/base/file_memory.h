#pragma once

#include <cstddef>
#include <filesystem>
#include <memory>
#include <span>
#include <type_traits>
#include <vector>

namespace pathmark {

/// Memory that lies in a file without a name: the system keeps as much of it at hand as there is room for. It is gone with its owner, or the
/// process, however that ends.
class FileMemory {
  public:
    /// Zeros. Throws std::bad_alloc where the folder's disk has no room.
    FileMemory(std::size_t bytes, const std::filesystem::path& folder);
    ~FileMemory();
    FileMemory(const FileMemory&) = delete;
    FileMemory& operator=(const FileMemory&) = delete;

    [[nodiscard]] void* data() const { return data_; }

  private:
    void* data_ = nullptr;
    std::size_t bytes_ = 0;
};

/// A large array of plain numbers, in memory or, where a folder is given, in a file of it.
template <class T>
class LargeArray {
    static_assert(std::is_trivially_copyable_v<T>);

  public:
    LargeArray() = default;

    LargeArray(const LargeArray& other) { *this = other; }

    LargeArray(LargeArray&& other) noexcept = default;
    ~LargeArray() = default;

    LargeArray& operator=(const LargeArray& other) {
        if (this != &other) {
            assign(other.size(), other.folder_);
            std::copy(other.begin(), other.end(), begin());
        }
        return *this;
    }

    LargeArray& operator=(LargeArray&& other) noexcept = default;

    /// So many zeros; what was there is gone.
    void assign(std::size_t size, const std::filesystem::path& folder) {
        inMemory_ = {};
        inFile_.reset();
        folder_ = folder;
        if (folder.empty()) {
            inMemory_.assign(size, T{});
            values_ = inMemory_;
        } else {
            inFile_ = std::make_unique<FileMemory>(size * sizeof(T), folder);
            values_ = {static_cast<T*>(inFile_->data()), size};
        }
    }

    [[nodiscard]] std::size_t size() const { return values_.size(); }

    [[nodiscard]] bool empty() const { return values_.empty(); }

    T* data() { return values_.data(); }

    [[nodiscard]] const T* data() const { return values_.data(); }

    T& operator[](std::size_t i) { return values_[i]; }

    const T& operator[](std::size_t i) const { return values_[i]; }

    auto begin() { return values_.begin(); }

    auto end() { return values_.end(); }

    [[nodiscard]] auto begin() const { return std::span<const T>(values_).begin(); }

    [[nodiscard]] auto end() const { return std::span<const T>(values_).end(); }

    [[nodiscard]] std::span<T> span() { return values_; }

    [[nodiscard]] std::span<const T> span() const { return values_; }

  private:
    std::vector<T> inMemory_;
    std::unique_ptr<FileMemory> inFile_;
    std::filesystem::path folder_;
    std::span<T> values_;
};

} // namespace pathmark
