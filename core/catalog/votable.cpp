#include "core/catalog/votable.h"

#include "core/base/text.h"
#include "core/catalog/votable_stream.h"

#include <fmt/format.h>
#include <libxml/xmlreader.h>

#include <charconv>
#include <cmath>
#include <limits>
#include <memory>

namespace pathmark::catalog {
namespace {

constexpr std::size_t kTableRowsAtOnce = 20'000;

using XmlText = std::unique_ptr<xmlChar, void (*)(void*)>;

std::string toString(const xmlChar* text) {
    return text != nullptr ? reinterpret_cast<const char*>(text) : "";
}

/// Reads a document node by node.
class VotableReader {
  public:
    VotableReader(const std::filesystem::path& path,
                  const RowSink& sink,
                  const std::stop_token& stop)
        : path_(path), sink_(sink), stop_(stop),
          xml_(xmlReaderForFile(path.c_str(),
                                nullptr,
                                XML_PARSE_HUGE | XML_PARSE_NONET | XML_PARSE_NOERROR |
                                    XML_PARSE_NOWARNING),
               &xmlFreeTextReader) {}

    Result<TableReport> run() {
        if (!xml_) {
            return bad("The file cannot be read.");
        }
        int state = 0;
        while ((state = xmlTextReaderRead(xml_.get())) == 1) {
            if (xmlTextReaderNodeType(xml_.get()) == XML_READER_TYPE_ELEMENT) {
                if (auto seen = onElement(localName()); !seen) {
                    return fail(seen.error());
                }
            }
        }
        if (state != 0) {
            return bad(isVotable_ ? "The VOTable is cut short or damaged; fetch it again."
                                  : "This is no VOTable.");
        }
        if (!isVotable_) {
            return bad("This is no VOTable (a web page, perhaps).");
        }
        if (auto done = flush(); !done) {
            return fail(done.error());
        }
        report_.isCutOff = overflow_;
        if (!sawTable_) {
            return bad("No table of the document has the columns ra, dec and phot_g_mean_mag.");
        }
        return report_;
    }

  private:
    [[nodiscard]] tl::unexpected<Error> bad(const std::string& text) const {
        return fail(ErrorId::CatalogBadTable, text, path_.string());
    }

    [[nodiscard]] std::string localName() const {
        return toString(xmlTextReaderConstLocalName(xml_.get()));
    }

    [[nodiscard]] std::string attribute(const char* name) const {
        const XmlText value(
            xmlTextReaderGetAttribute(xml_.get(), reinterpret_cast<const xmlChar*>(name)), xmlFree);
        return toString(value.get());
    }

    [[nodiscard]] std::string innerText() const {
        const XmlText value(xmlTextReaderReadString(xml_.get()), xmlFree);
        return toString(value.get());
    }

    Result<bool> onElement(const std::string& element) {
        if (element == "VOTABLE") {
            isVotable_ = true;
        } else if (element == "INFO" && attribute("name") == "QUERY_STATUS") {
            if (attribute("value") == "ERROR") {
                return fail(ErrorId::CatalogServiceRefused,
                            "The service refused: " + std::string(trim(innerText())),
                            path_.string());
            }
            overflow_ = overflow_ || attribute("value") == "OVERFLOW";
        } else if (element == "TABLE") {
            fields_.clear();
            places_ = {};
        } else if (element == "FIELD") {
            places_.offer(attribute("name"), static_cast<int>(fields_.size()));
            fields_.push_back({attribute("name"), attribute("datatype"), attribute("arraysize")});
        } else if (element == "DATA") {
            wanted_ = !places_.missing() && !sawTable_;
            sawTable_ = sawTable_ || wanted_;
        } else if (wanted_ && element == "TR") {
            return onRow();
        } else if (wanted_ && (element == "BINARY" || element == "BINARY2")) {
            hasNullBits_ = element == "BINARY2";
        } else if (wanted_ && element == "STREAM") {
            return onStream();
        }
        return true;
    }

    /// One TR: its TDs are read to its end.
    Result<bool> onRow() {
        RawRow row;
        row.value.fill(std::numeric_limits<double>::quiet_NaN());
        int column = -1;
        const int depth = xmlTextReaderDepth(xml_.get());
        if (xmlTextReaderIsEmptyElement(xml_.get()) == 0) {
            while (xmlTextReaderRead(xml_.get()) == 1 && xmlTextReaderDepth(xml_.get()) > depth) {
                const int type = xmlTextReaderNodeType(xml_.get());
                if (type == XML_READER_TYPE_ELEMENT) {
                    ++column;
                } else if (type == XML_READER_TYPE_TEXT) {
                    setValue(row, column, toString(xmlTextReaderConstValue(xml_.get())));
                }
            }
        }
        return take(row);
    }

    void setValue(RawRow& row, int column, std::string_view text) const {
        text = trim(text);
        for (std::size_t c = 0; c < kStarColumns; ++c) {
            if (places_.of(static_cast<StarColumn>(c)) != column) {
                continue;
            }
            if (static_cast<StarColumn>(c) == StarColumn::SourceId) {
                std::from_chars(text.data(), text.data() + text.size(), row.sourceId);
            } else if (const auto number = parseNumber(text)) {
                row.value[c] = *number;
            }
        }
    }

    Result<bool> onStream() {
        if (attribute("encoding") != "base64") {
            return bad("The table's stream is elsewhere or of an unknown encoding.");
        }
        std::vector<unsigned char> bytes;
        if (!decodeBase64(innerText(), bytes)) {
            return bad("The table's stream is damaged; fetch it again.");
        }
        BinaryRows rows(bytes, fields_, places_, hasNullBits_);
        RawRow row;
        while (rows.next(row)) {
            if (auto taken = take(row); !taken) {
                return taken;
            }
        }
        if (rows.damaged()) {
            return bad("The table's stream ends inside a row or has a column of an unknown type.");
        }
        return true;
    }

    Result<bool> take(const RawRow& raw) {
        ++number_;
        StarRow row;
        if (auto reason = checkRow(raw, row)) {
            countBad(report_, raw, *reason, [&] { return fmt::format("row {}", number_); });
            return true;
        }
        block_.push_back(row);
        return block_.size() < kTableRowsAtOnce ? Result<bool>(true) : flush();
    }

    Result<bool> flush() {
        if (stop_.stop_requested()) {
            return fail(ErrorId::BaseCancelled, "Stopped; the catalogue is as it was.");
        }
        report_.rows += block_.size();
        auto taken = sink_(block_);
        block_.clear();
        return taken;
    }

    const std::filesystem::path& path_;
    const RowSink& sink_;
    const std::stop_token& stop_;
    std::unique_ptr<xmlTextReader, void (*)(xmlTextReaderPtr)> xml_;
    std::vector<VotableField> fields_;
    ColumnPlaces places_;
    std::vector<StarRow> block_;
    TableReport report_;
    std::uint64_t number_ = 0;
    bool isVotable_ = false;
    bool wanted_ = false;
    bool sawTable_ = false;
    bool hasNullBits_ = false;
    bool overflow_ = false;
};

} // namespace

Result<TableReport>
readVotable(const std::filesystem::path& path, const RowSink& sink, const std::stop_token& stop) {
    return VotableReader(path, sink, stop).run();
}

} // namespace pathmark::catalog
