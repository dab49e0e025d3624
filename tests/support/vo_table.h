#pragma once

#include <libxml/parser.h>
#include <libxml/xpath.h>
#include <libxml/xpathInternals.h>

#include <memory>
#include <string>

namespace pathmark::test_support {

/// A VOTable as libxml2 reads it, which shares nothing with what wrote it. The standard's elements are in the namespace "v".
class VoTable {
  public:
    explicit VoTable(const std::string& text)
        : document_(xmlReadMemory(text.data(), static_cast<int>(text.size()), nullptr, nullptr, 0),
                    &xmlFreeDoc),
          context_(document_ ? xmlXPathNewContext(document_.get()) : nullptr,
                   &xmlXPathFreeContext) {
        const auto* space =
            reinterpret_cast<const xmlChar*>("http://www.ivoa.net/xml/VOTable/v1.3");
        isReadable_ =
            context_ != nullptr &&
            xmlXPathRegisterNs(context_.get(), reinterpret_cast<const xmlChar*>("v"), space) == 0;
    }

    [[nodiscard]] bool isReadable() const { return isReadable_; }

    /// What an XPath expression gives, as text.
    [[nodiscard]] std::string told(const std::string& path) const {
        xmlXPathObject* found =
            xmlXPathEvalExpression(reinterpret_cast<const xmlChar*>(path.c_str()), context_.get());
        xmlChar* value = xmlXPathCastToString(found);
        std::string result = reinterpret_cast<const char*>(value);
        xmlFree(value);
        xmlXPathFreeObject(found);
        return result;
    }

  private:
    std::unique_ptr<xmlDoc, void (*)(xmlDocPtr)> document_;
    std::unique_ptr<xmlXPathContext, void (*)(xmlXPathContextPtr)> context_;
    bool isReadable_ = false;
};

} // namespace pathmark::test_support
