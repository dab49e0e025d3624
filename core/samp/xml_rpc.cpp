#include "core/samp/xml_rpc.h"

#include <fmt/format.h>
#include <xmlrpc-c/base.h>
#include <xmlrpc-c/util.h>

#include <cstdlib>
#include <memory>
#include <mutex>

namespace pathmark::samp {
namespace {

using nlohmann::json;

constexpr std::size_t kMostXml = 4U << 20U;
constexpr int kDeepest = 32;

/// The library's own way to tell what went wrong.
class Env {
  public:
    Env() {
        static std::once_flag once;
        std::call_once(once, [] {
            xmlrpc_limit_set(XMLRPC_XML_SIZE_LIMIT_ID, kMostXml);
            xmlrpc_limit_set(XMLRPC_NESTING_LIMIT_ID, kDeepest);
        });
        xmlrpc_env_init(&env_);
    }

    ~Env() { xmlrpc_env_clean(&env_); }

    Env(const Env&) = delete;
    Env& operator=(const Env&) = delete;

    xmlrpc_env* operator&() { return &env_; } // NOLINT: it is handed on to C

    [[nodiscard]] bool isWell() const { return env_.fault_occurred == 0; }

    [[nodiscard]] std::string words() const {
        return env_.fault_string == nullptr ? "" : env_.fault_string;
    }

  private:
    xmlrpc_env env_{};
};

struct Released {
    void operator()(xmlrpc_value* value) const { xmlrpc_DECREF(value); }
};

using Value = std::unique_ptr<xmlrpc_value, Released>;

/// A block of bytes of the library.
class Block {
  public:
    explicit Block(Env& env) : block_(xmlrpc_mem_block_new(&env, 0)) {}

    ~Block() {
        if (block_ != nullptr) {
            xmlrpc_mem_block_free(block_);
        }
    }

    Block(const Block&) = delete;
    Block& operator=(const Block&) = delete;

    [[nodiscard]] xmlrpc_mem_block* get() const { return block_; }

    [[nodiscard]] std::string text() const {
        return block_ == nullptr ? std::string()
                                 : std::string(XMLRPC_MEMBLOCK_CONTENTS(char, block_),
                                               XMLRPC_MEMBLOCK_SIZE(char, block_));
    }

  private:
    xmlrpc_mem_block* block_;
};

/// Without what XML has no form for.
std::string printable(const std::string& text) {
    std::string out;
    for (const char c : text) {
        const auto byte = static_cast<unsigned char>(c);
        if (byte >= 0x20U || c == '\n' || c == '\t') {
            out += c;
        }
    }
    return out;
}

Value valueOf(Env& env, const json& from) {
    if (from.is_array()) {
        Value list(xmlrpc_array_new(&env));
        for (const json& one : from) {
            const Value item = valueOf(env, one);
            xmlrpc_array_append_item(&env, list.get(), item.get());
        }
        return list;
    }
    if (from.is_object()) {
        Value map(xmlrpc_struct_new(&env));
        for (const auto& [key, one] : from.items()) {
            const Value item = valueOf(env, one);
            const std::string name = printable(key);
            xmlrpc_struct_set_value_n(&env, map.get(), name.data(), name.size(), item.get());
        }
        return map;
    }
    const std::string text = printable(from.is_string() ? from.get<std::string>() : from.dump());
    return Value(xmlrpc_string_new_lp(&env, text.size(), text.data()));
}

/// Texts of the library are its caller's.
void freeText(const char* text) {
    std::free(const_cast<char*>(text)); // NOLINT
}

std::string textFrom(Env& env, xmlrpc_value* value) {
    std::size_t length = 0;
    const char* bytes = nullptr;
    xmlrpc_read_string_lp(&env, value, &length, &bytes);
    const std::unique_ptr<const char, void (*)(const char*)> owned(bytes, [](const char* text) {
        std::free(const_cast<char*>(text));
    }); // NOLINT: the library's own
    return bytes == nullptr ? std::string() : std::string(bytes, length);
}

json jsonFrom(Env& env, xmlrpc_value* value) {
    switch (xmlrpc_value_type(value)) {
    case XMLRPC_TYPE_ARRAY: {
        json list = json::array();
        const int size = xmlrpc_array_size(&env, value);
        for (int i = 0; i < size && env.isWell(); ++i) {
            xmlrpc_value* item = nullptr;
            xmlrpc_array_read_item(&env, value, static_cast<unsigned>(i), &item);
            const Value owned(item);
            list.push_back(item == nullptr ? json() : jsonFrom(env, item));
        }
        return list;
    }
    case XMLRPC_TYPE_STRUCT: {
        json map = json::object();
        const int size = xmlrpc_struct_size(&env, value);
        for (int i = 0; i < size && env.isWell(); ++i) {
            xmlrpc_value* key = nullptr;
            xmlrpc_value* item = nullptr;
            xmlrpc_struct_read_member(&env, value, static_cast<unsigned>(i), &key, &item);
            const Value ownedKey(key);
            const Value ownedItem(item);
            if (key != nullptr && item != nullptr) {
                map[textFrom(env, key)] = jsonFrom(env, item);
            }
        }
        return map;
    }
    case XMLRPC_TYPE_STRING: return textFrom(env, value);
    case XMLRPC_TYPE_INT: {
        int number = 0;
        xmlrpc_read_int(&env, value, &number);
        return std::to_string(number);
    }
    case XMLRPC_TYPE_BOOL: {
        xmlrpc_bool truth = 0;
        xmlrpc_read_bool(&env, value, &truth);
        return truth != 0 ? "1" : "0";
    }
    case XMLRPC_TYPE_DOUBLE: {
        double number = 0.0;
        xmlrpc_read_double(&env, value, &number);
        return fmt::format("{}", number);
    }
    default: return "";
    }
}

Error refused(const std::string& words) {
    return {ErrorId::SampRefused, words, {}};
}

} // namespace

std::string toXml(const RpcCall& call) {
    Env env;
    const Value parameters = valueOf(env, call.parameters);
    const Block block(env);
    xmlrpc_serialize_call(&env, block.get(), call.method.c_str(), parameters.get());
    return block.text();
}

std::string answerXml(const json& value) {
    Env env;
    const Value answer = valueOf(env, value);
    const Block block(env);
    xmlrpc_serialize_response(&env, block.get(), answer.get());
    return block.text();
}

std::string faultXml(const std::string& words) {
    Env env;
    const Block block(env);
    Env fault;
    xmlrpc_env_set_fault(&fault, 1, printable(words).c_str());
    xmlrpc_serialize_fault(&env, block.get(), &fault);
    return block.text();
}

Result<RpcCall> callFrom(const std::string& xml) {
    if (xml.size() > kMostXml) {
        return fail(refused("The call is too long."));
    }
    Env env;
    const char* method = nullptr;
    xmlrpc_value* parameters = nullptr;
    xmlrpc_parse_call(&env, xml.data(), xml.size(), &method, &parameters);
    const std::unique_ptr<const char, void (*)(const char*)> ownedMethod(method, &freeText);
    const Value owned(parameters);
    if (!env.isWell() || method == nullptr || parameters == nullptr) {
        return fail(refused("It is no call: " + env.words()));
    }
    RpcCall call{method, jsonFrom(env, parameters)};
    return env.isWell() ? Result<RpcCall>(std::move(call)) : fail(refused(env.words()));
}

Result<json> answerFrom(const std::string& xml) {
    if (xml.size() > kMostXml) {
        return fail(refused("The answer is too long."));
    }
    Env env;
    xmlrpc_value* result = nullptr;
    int code = 0;
    const char* words = nullptr;
    xmlrpc_parse_response2(&env, xml.data(), xml.size(), &result, &code, &words);
    if (!env.isWell()) {
        return fail(refused("It is no answer: " + env.words()));
    }
    if (words != nullptr) {
        const std::unique_ptr<const char, void (*)(const char*)> owned(words, &freeText);
        return fail(refused(words));
    }
    const Value owned(result);
    json value = jsonFrom(env, result);
    return env.isWell() ? Result<json>(std::move(value)) : fail(refused(env.words()));
}

} // namespace pathmark::samp
