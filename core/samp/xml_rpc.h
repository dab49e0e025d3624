#pragma once

#include "core/base/result.h"

#include <nlohmann/json.hpp>

#include <string>

namespace pathmark::samp {

/// A remote call: values are texts, lists and maps, as the protocol has them.
struct RpcCall {
    std::string method;
    nlohmann::json parameters = nlohmann::json::array();
};

/// The bytes of a call, an answer or a fault; characters that XML has no form for are left out.
std::string toXml(const RpcCall& call);
std::string answerXml(const nlohmann::json& value);
std::string faultXml(const std::string& words);

/// Numbers and truth values, which the protocol does not send but careless clients do, are read as texts.
///
/// Errors   samp.refused  it is no call, no answer, or it is a fault, with its words; too deep or too long
Result<RpcCall> callFrom(const std::string& xml);
Result<nlohmann::json> answerFrom(const std::string& xml);

} // namespace pathmark::samp
