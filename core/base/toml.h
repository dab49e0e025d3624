#pragma once

#include <map>
#include <optional>
#include <stdexcept>
#include <string>
#include <vector>

namespace pathmark {

/// What is wrong with a document, in words for the one who wrote it.
struct TomlError : std::runtime_error {
    TomlError(const std::string& words, int at, bool syntax = false)
        : std::runtime_error(words), line(at), isSyntax(syntax) {}

    int line = 0;          ///< counted from 1; 0: not known
    bool isSyntax = false; ///< the text is no TOML; else a value is not what it should be
};

/// A value of a TOML document, or the document itself, which is a table. The library that reads it is seen by one file alone: its
/// headers take twenty seconds to compile.
///
/// Errors   What asks a value for what it is not throws TomlError.
/// Source   TOML 1.0.0.
class Toml {
  public:
    /// Reads a document; `name` stands for it in messages. Throws TomlError.
    static Toml parse(const std::string& text, const std::string& name);

    [[nodiscard]] bool isText() const { return kind_ == Kind::Text; }

    [[nodiscard]] bool isWhole() const { return kind_ == Kind::Whole; }

    /// Whole or with a point.
    [[nodiscard]] bool isNumber() const { return isWhole() || kind_ == Kind::Number; }

    [[nodiscard]] bool isFlag() const { return kind_ == Kind::Flag; }

    [[nodiscard]] bool isList() const { return kind_ == Kind::List; }

    [[nodiscard]] bool isTable() const { return kind_ == Kind::Table; }

    [[nodiscard]] const std::string& text() const;
    [[nodiscard]] double number() const; ///< may be written without a point
    [[nodiscard]] int whole() const;
    [[nodiscard]] bool flag() const;
    [[nodiscard]] const std::vector<Toml>& list() const;
    [[nodiscard]] std::vector<std::string> texts() const; ///< of a list
    [[nodiscard]] const std::map<std::string, Toml>& table() const;

    /// The value of a key of a table; null where there is none.
    [[nodiscard]] const Toml* find(const std::string& key) const;

    [[nodiscard]] bool contains(const std::string& key) const { return find(key) != nullptr; }

    [[nodiscard]] const Toml& at(const std::string& key) const;

    /// The tables of a section that stands once, or several times in double brackets.
    [[nodiscard]] std::vector<Toml> tables() const;

    [[nodiscard]] int line() const { return line_; }

  private:
    friend struct TomlReader;
    enum class Kind { Table, List, Text, Whole, Number, Flag, Other };

    void expect(Kind kind, const char* words) const;

    Kind kind_ = Kind::Table;
    int line_ = 0;
    std::string text_;
    double number_ = 0.0;
    long long whole_ = 0;
    bool flag_ = false;
    std::vector<Toml> list_;
    std::map<std::string, Toml> table_;
};

/// A text as a string of TOML.
std::string tomlText(const std::string& text);

/// A sentence on the first key of a section that nobody knows, with the nearest that is known.
std::optional<std::string>
unknownTomlKey(const Toml& section, const std::string& name, const std::vector<std::string>& known);

} // namespace pathmark
