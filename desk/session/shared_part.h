#pragma once

#include <cstddef>
#include <iterator>
#include <memory>
#include <utility>
#include <vector>

namespace pathmark::desk {

/// A part of a snapshot that its copies share until one of them changes it. Reads as the value itself.
template <class T>
class Shared {
  public:
    Shared() : value_(std::make_shared<T>()) {}

    Shared(T value)
        : value_(std::make_shared<T>(std::move(value))) {} // NOLINT(google-explicit-constructor)

    operator const T&() const { return *value_; } // NOLINT(google-explicit-constructor)

    const T& operator*() const { return *value_; }

    const T* operator->() const { return value_.get(); }

    /// The value to be changed: a copy of its own first, where others share it.
    T& edit() {
        if (value_.use_count() > 1) {
            value_ = std::make_shared<T>(*value_);
        }
        return *value_;
    }

    /// Whether both are the same part, unchanged since one was copied from the other.
    [[nodiscard]] bool isSameAs(const Shared& other) const { return value_ == other.value_; }

    // What a list is read by.
    [[nodiscard]] auto begin() const { return value_->cbegin(); }

    [[nodiscard]] auto end() const { return value_->cend(); }

    [[nodiscard]] auto size() const { return value_->size(); }

    [[nodiscard]] bool empty() const { return value_->empty(); }

    const auto& operator[](std::size_t i) const { return (*value_)[i]; }

    [[nodiscard]] const auto& front() const { return value_->front(); }

    [[nodiscard]] const auto& back() const { return value_->back(); }

  private:
    std::shared_ptr<T> value_;
};

/// A list whose records are shared by its copies one by one: copying copies pointers, and a changed record is one allocation.
template <class T>
class SharedRecords {
  public:
    class Iterator {
      public:
        using iterator_category = std::random_access_iterator_tag;
        using value_type = T;
        using difference_type = std::ptrdiff_t;
        using pointer = const T*;
        using reference = const T&;

        Iterator() = default;

        explicit Iterator(const std::shared_ptr<const T>* at) : at_(at) {}

        reference operator*() const { return **at_; }

        pointer operator->() const { return at_->get(); }

        Iterator& operator++() {
            ++at_;
            return *this;
        }

        Iterator& operator--() {
            --at_;
            return *this;
        }

        friend difference_type operator-(Iterator a, Iterator b) { return a.at_ - b.at_; }

        friend bool operator==(Iterator, Iterator) = default;

      private:
        const std::shared_ptr<const T>* at_ = nullptr;
    };

    SharedRecords() = default;

    SharedRecords(std::vector<T> values) { // NOLINT(google-explicit-constructor)
        records_.reserve(values.size());
        for (T& value : values) {
            push_back(std::move(value));
        }
    }

    void push_back(T value) { records_.push_back(std::make_shared<const T>(std::move(value))); }

    /// A record of another list, shared with it.
    void share(const SharedRecords& other, std::size_t i) { records_.push_back(other.records_[i]); }

    void replace(std::size_t i, T value) {
        records_[i] = std::make_shared<const T>(std::move(value));
    }

    void resize(std::size_t fewer) { records_.resize(fewer); }

    [[nodiscard]] Iterator begin() const { return Iterator(records_.data()); }

    [[nodiscard]] Iterator end() const { return Iterator(records_.data() + records_.size()); }

    [[nodiscard]] std::size_t size() const { return records_.size(); }

    [[nodiscard]] bool empty() const { return records_.empty(); }

    const T& operator[](std::size_t i) const { return *records_[i]; }

  private:
    std::vector<std::shared_ptr<const T>> records_;
};

} // namespace pathmark::desk
