#include "command/manual.h"

#include "core/base/text.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>

namespace pathmark::command {
namespace {

/// As text of a page: no line begins with a control character, no backslash or hyphen means something else.
std::string plain(std::string text) {
    std::string out;
    for (const char c : text) {
        if (c == '\\') {
            out += "\\e";
        } else if (c == '\n') {
            out += ' ';
        } else if (c == '"') {
            out += "\\(dq";
        } else {
            out += c;
        }
    }
    return out.starts_with('.') || out.starts_with('\'') ? "\\&" + out : out;
}

/// An argument of a macro: what would be taken for a macro or a delimiter is not.
std::string argument(const std::string& text) {
    return "\\&" + plain(text);
}

std::vector<const CLI::Option*> optionsOf(const CLI::App& app, bool positional) {
    std::vector<const CLI::Option*> options;
    for (const CLI::Option* option : app.get_options()) {
        const bool isPositional = option->get_positional();
        if (isPositional == positional && !option->get_group().empty()) {
            options.push_back(option);
        }
    }
    return options;
}

std::vector<std::string> namesOf(const CLI::Option& option) {
    std::vector<std::string> names;
    for (const std::string& name : option.get_snames()) {
        names.push_back("-" + name);
    }
    for (const std::string& name : option.get_lnames()) {
        names.push_back("--" + name);
    }
    return names;
}

/// What stands behind an option: "RA DEC" as the program has it, one of several words, or the kind of value.
std::string valueOf(const CLI::Option& option) {
    if (option.get_items_expected_max() == 0) {
        return {};
    }
    std::string type = option.get_type_name();
    std::replace(type.begin(), type.end(), '\n', ' ');
    const std::size_t set = type.find(":{");
    if (set != std::string::npos && type.ends_with('}')) {
        std::string words = type.substr(set + 2, type.size() - set - 3);
        std::replace(words.begin(), words.end(), ',', '|');
        return words;
    }
    type = type.substr(0, type.find(':'));
    const bool isNumber = type == "FLOAT" || type == "INT" || type == "UINT";
    return isNumber ? "NUMBER" : std::string(trim(type));
}

std::string synopsis(const CLI::App& app) {
    std::string text;
    for (const CLI::Option* option : optionsOf(app, true)) {
        text += option->get_required() ? ".Ar " : ".Op Ar ";
        text += option->get_name(true) + (option->get_items_expected_max() > 1 ? " ...\n" : "\n");
    }
    for (const CLI::Option* option : optionsOf(app, false)) {
        if (option->get_required()) {
            const std::string value = valueOf(*option);
            text += ".Fl " + argument(namesOf(*option).back().substr(1)) +
                    (value.empty() ? "\n" : " Ar " + argument(value) + "\n");
        }
    }
    return text + ".Op Ar options\n";
}

std::string optionList(const CLI::App& app) {
    std::string text;
    const auto options = optionsOf(app, false);
    if (options.empty()) {
        return text;
    }
    text += ".Bl -tag -width Ds\n";
    for (const CLI::Option* option : options) {
        text += ".It ";
        bool isFirst = true;
        for (const std::string& name : namesOf(*option)) {
            text += (isFirst ? "Fl " : " , Fl ") + argument(name.substr(1));
            isFirst = false;
        }
        const std::string value = valueOf(*option);
        text += value.empty() ? "\n" : " Ar " + argument(value) + "\n";
        text += plain(option->get_description()) + ".\n";
    }
    return text + ".El\n";
}

std::string arguments(const CLI::App& app) {
    const auto positionals = optionsOf(app, true);
    if (positionals.empty()) {
        return {};
    }
    std::string text = ".Bl -tag -width Ds\n";
    for (const CLI::Option* option : positionals) {
        text += ".It Ar " + argument(option->get_name(true)) + "\n" +
                plain(option->get_description()) + ".\n";
    }
    return text + ".El\n";
}

std::vector<const CLI::App*> verbsOf(const CLI::App& program) {
    auto verbs =
        program.get_subcommands([](const CLI::App* app) { return !app->get_group().empty(); });
    std::sort(verbs.begin(), verbs.end(), [](const CLI::App* a, const CLI::App* b) {
        return a->get_name() < b->get_name();
    });
    return verbs;
}

/// "March 17, 2034"
std::string longDate(const std::string& date) {
    static constexpr std::array months{"January",
                                       "February",
                                       "March",
                                       "April",
                                       "May",
                                       "June",
                                       "July",
                                       "August",
                                       "September",
                                       "October",
                                       "November",
                                       "December"};
    int month = 0;
    int day = 0;
    if (date.size() < 10) {
        return date;
    }
    std::from_chars(date.data() + 5, date.data() + 7, month);
    std::from_chars(date.data() + 8, date.data() + 10, day);
    return month < 1 || month > 12 ? date
                                   : fmt::format("{} {}, {}",
                                                 months[static_cast<std::size_t>(month - 1)],
                                                 day,
                                                 date.substr(0, 4));
}

std::string head(const std::string& page, const std::string& words, const std::string& date) {
    std::string title = page;
    std::transform(title.begin(), title.end(), title.begin(), [](unsigned char c) {
        return static_cast<char>(std::toupper(c));
    });
    return fmt::format(".Dd {}\n.Dt {} 1\n.Os\n.Sh NAME\n.Nm {}\n.Nd {}\n",
                       longDate(date),
                       title,
                       page,
                       plain(words));
}

/// The first letter small, as one-line descriptions have it.
std::string smallFirst(std::string words) {
    if (words.size() > 1 && std::islower(static_cast<unsigned char>(words[1])) != 0) {
        words[0] = static_cast<char>(std::tolower(static_cast<unsigned char>(words[0])));
    }
    return words;
}

constexpr const char* kStatus =
    ".Sh EXIT STATUS\n"
    "0: done; 1: some of the work failed, and the messages say which and why; 2: wrong use;\n"
    "130 and 143: stopped by a signal, what was finished is kept.\n";

std::string verbPage(const CLI::App& verb, const std::string& date) {
    const std::string page = "pathmark-" + verb.get_name();
    std::string text = head(page, smallFirst(verb.get_description()), date);
    const auto inner = verbsOf(verb);
    text += ".Sh SYNOPSIS\n.Nm pathmark " + verb.get_name() + "\n";
    text += inner.empty() ? synopsis(verb) : ".Ar command\n.Op Ar options\n";
    text += ".Sh DESCRIPTION\n" + plain(verb.get_description()) + ".\n" + arguments(verb);
    text += "The options are as follows:\n" + optionList(verb);
    for (const CLI::App* one : inner) {
        text += ".Ss " + verb.get_name() + " " + one->get_name() + "\n" +
                plain(one->get_description()) + ".\n" + arguments(*one) + optionList(*one);
    }
    return text + kStatus + ".Sh SEE ALSO\n.Xr pathmark 1\n";
}

std::string programPage(const CLI::App& program, const std::string& date) {
    std::string text =
        head("pathmark", "minor planets and comets, from the camera to the report", date);
    text += ".Sh SYNOPSIS\n.Nm\n.Ar verb\n.Op Ar options\n.Sh DESCRIPTION\n" +
            plain(program.get_description()) + "\nEach verb has a page of its own:\n";
    text += ".Bl -tag -width Ds\n";
    for (const CLI::App* verb : verbsOf(program)) {
        text +=
            ".It Xr pathmark-" + verb->get_name() + " 1\n" + plain(verb->get_description()) + ".\n";
    }
    text += ".El\n.Pp\nWith\n.Fl \\&-json\nevery verb prints exactly one JSON object on standard "
            "output.\n";
    text +=
        ".Sh ENVIRONMENT\n.Bl -tag -width Ds\n"
        ".It Ev XDG_CONFIG_HOME\nfolder of settings: pathmark/profiles.toml, "
        "pathmark/equipment.toml, "
        "pathmark/services.toml\n"
        ".It Ev XDG_DATA_HOME\nfolder of what was fetched: lists of orbits and codes, star fields\n"
        ".It Ev PATHMARK_DATA\nfolder of what ships with the program\n.El\n";
    return text + kStatus + ".Sh SEE ALSO\n.Xr pathmark-desk 1\n";
}

std::string joined(const std::vector<std::string>& words) {
    return fmt::format("{}", fmt::join(words, " "));
}

std::vector<std::string> optionWords(const CLI::App& app) {
    std::vector<std::string> words;
    for (const CLI::Option* option : optionsOf(app, false)) {
        const auto names = namesOf(*option);
        words.insert(words.end(), names.begin(), names.end());
    }
    return words;
}

/// One word of a shell's script, in single quotes.
std::string quoted(const std::string& text) {
    std::string out = "'";
    for (const char c : text) {
        out += c == '\'' ? "'\\''" : std::string(1, c);
    }
    return out + "'";
}

/// A description within _arguments: brackets and colons mean something there.
std::string zshWords(const std::string& text) {
    std::string out;
    for (const char c : text) {
        if (c == '[' || c == ']' || c == ':' || c == '\\') {
            out += '\\';
        }
        out += c == '\n' ? ' ' : c;
    }
    return out;
}

} // namespace

std::vector<std::pair<std::string, std::string>> manualPages(const CLI::App& program,
                                                             const std::string& date) {
    std::vector<std::pair<std::string, std::string>> pages{
        {"pathmark.1", programPage(program, date)}};
    for (const CLI::App* verb : verbsOf(program)) {
        if (verb->get_name() == "desk") {
            continue; // the window's own page
        }
        pages.emplace_back("pathmark-" + verb->get_name() + ".1", verbPage(*verb, date));
    }
    return pages;
}

std::string bashCompletion(const CLI::App& program) {
    std::vector<std::string> verbs;
    std::string cases;
    for (const CLI::App* verb : verbsOf(program)) {
        verbs.push_back(verb->get_name());
        auto words = optionWords(*verb);
        for (const CLI::App* inner : verbsOf(*verb)) {
            words.push_back(inner->get_name());
            const auto more = optionWords(*inner);
            words.insert(words.end(), more.begin(), more.end());
        }
        cases += fmt::format("        {}) words={} ;;\n", verb->get_name(), quoted(joined(words)));
    }
    return fmt::format("# bash completion of pathmark\n"
                       "_pathmark() {{\n"
                       "    local current=\"${{COMP_WORDS[COMP_CWORD]}}\" words=\n"
                       "    if [ \"$COMP_CWORD\" -eq 1 ]; then\n"
                       "        mapfile -t COMPREPLY < <(compgen -W {} -- \"$current\")\n"
                       "        return\n"
                       "    fi\n"
                       "    case \"${{COMP_WORDS[1]}}\" in\n{}    esac\n"
                       "    if [[ \"$current\" == -* || \"${{COMP_WORDS[1]}}\" == catalog && "
                       "\"$COMP_CWORD\" -eq 2 || \"${{COMP_WORDS[1]}}\" == fetch ]]; then\n"
                       "        mapfile -t COMPREPLY < <(compgen -W \"$words\" -- \"$current\")\n"
                       "    else\n"
                       "        mapfile -t COMPREPLY < <(compgen -f -- \"$current\")\n"
                       "    fi\n"
                       "}}\n"
                       "complete -o filenames -F _pathmark pathmark\n",
                       quoted(joined(verbs)),
                       cases);
}

std::string zshCompletion(const CLI::App& program) {
    std::string verbs;
    std::string cases;
    for (const CLI::App* verb : verbsOf(program)) {
        verbs += fmt::format("        {}\n",
                             quoted(verb->get_name() + ":" + zshWords(verb->get_description())));
        std::string options;
        std::vector<const CLI::App*> all = verbsOf(*verb);
        all.insert(all.begin(), verb);
        for (const CLI::App* one : all) {
            for (const CLI::Option* option : optionsOf(*one, false)) {
                const bool hasValue = option->get_items_expected_max() > 0;
                for (const std::string& name : namesOf(*option)) {
                    options += " \\\n                " +
                               quoted(fmt::format("*{}[{}]{}",
                                                  name,
                                                  zshWords(option->get_description()),
                                                  hasValue ? ":value:_files" : ""));
                }
            }
        }
        cases +=
            fmt::format("            {}) _arguments{} \\\n                '*:file:_files' ;;\n",
                        verb->get_name(),
                        options);
    }
    return fmt::format("#compdef pathmark\n"
                       "_pathmark() {{\n"
                       "    local -a verbs=(\n{}    )\n"
                       "    _arguments -C '1:verb:->verb' '*::argument:->rest'\n"
                       "    case $state in\n"
                       "    verb) _describe verb verbs ;;\n"
                       "    rest)\n"
                       "        case $words[1] in\n{}        esac ;;\n"
                       "    esac\n"
                       "}}\n"
                       "_pathmark \"$@\"\n",
                       verbs,
                       cases);
}

} // namespace pathmark::command
