#pragma once

#include <tuple>
#include <type_traits>
#include <utility>

namespace pathmark {

/// One field of a record: the word it is stored under and where it lies.
template <typename Record, typename Value>
struct Field {
    const char* name;
    Value Record::*member;
};

template <typename Record, typename Value>
Field(const char*, Value Record::*) -> Field<Record, Value>;

/// The one list of a record's fields, from which its JSON and the text of its settings come. Specialised beside the
/// record as `static constexpr auto list = std::tuple{Field{"name", &Record::member}, ...}`.
template <typename Record>
struct FieldsOf;

template <typename T, typename = void>
struct IsRecord : std::false_type {};

template <typename T>
struct IsRecord<T, std::void_t<decltype(FieldsOf<T>::list)>> : std::true_type {};

template <typename T>
constexpr bool kIsRecord = IsRecord<std::remove_const_t<T>>::value;

/// Calls `visit(name, value)` for every field, in order.
template <typename Record, typename Visit>
void forEachField(Record& record, Visit&& visit) {
    std::apply([&](const auto&... field) { (visit(field.name, record.*(field.member)), ...); },
               FieldsOf<std::remove_const_t<Record>>::list);
}

} // namespace pathmark
