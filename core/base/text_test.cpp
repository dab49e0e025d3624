#include "core/base/text.h"

#include "core/base/csv_field.h"

#include <gtest/gtest.h>

#include <clocale>
#include <random>

namespace pathmark {
namespace {

using Fields = std::vector<std::string>;

TEST(TrimTest, TakesBlanksOfEveryKindAndLeavesThoseInside) {
    EXPECT_EQ(trim("  a b \t\r\n"), "a b");
    EXPECT_EQ(trim(" \t "), "");
    EXPECT_EQ(trim(""), "");
}

TEST(SplitTest, EmptyPartsAreParts) {
    EXPECT_EQ(split("a||b|", '|'), (std::vector<std::string_view>{"a", "", "b", ""}));
    EXPECT_EQ(split("", '|'), (std::vector<std::string_view>{""}));
}

TEST(ParseNumberTest, TakesTheWholeTextOrNothing) {
    EXPECT_EQ(parseNumber(" -1.5e3 "), -1500.0);
    EXPECT_EQ(parseNumber("+2"), 2.0);
    EXPECT_EQ(parseNumber(".5"), 0.5);
    for (const char* rubbish : {"", " ", "1.5x", "1,5", "1 2", "--1", "e5", "+-1", "0x10 m"}) {
        EXPECT_FALSE(parseNumber(rubbish)) << rubbish;
    }
    EXPECT_EQ(parseInteger("-12"), -12);
    for (const char* rubbish : {"1.0", "", "9999999999999999999999", "12a"}) {
        EXPECT_FALSE(parseInteger(rubbish)) << rubbish;
    }
}

/// An observer's locale may write the decimal point as a comma; tables of the trade never do.
TEST(ParseNumberTest, TheLocaleDoesNotMatter) {
    const std::string before = std::setlocale(LC_NUMERIC, nullptr);
    for (const char* name : {"de_DE.UTF-8", "de_DE.utf8", "fr_FR.UTF-8"}) {
        if (std::setlocale(LC_NUMERIC, name) != nullptr) {
            break;
        }
    }
    EXPECT_EQ(parseNumber("3.25"), 3.25);
    EXPECT_FALSE(parseNumber("3,25"));
    std::setlocale(LC_NUMERIC, before.c_str());
}

/// The examples of RFC 4180, section 2, and what spreadsheets write besides.
TEST(CsvTest, FieldsAreThoseOfTheStandard) {
    EXPECT_EQ(csvFields("aaa,bbb,ccc"), (Fields{"aaa", "bbb", "ccc"}));
    EXPECT_EQ(csvFields(R"("aaa","b""bb","ccc")"), (Fields{"aaa", "b\"bb", "ccc"}));
    EXPECT_EQ(csvFields(R"("a,b",c)"), (Fields{"a,b", "c"}));
    EXPECT_EQ(csvFields(R"("",x,)"), (Fields{"", "x", ""}));
    EXPECT_EQ(csvFields(R"( a , "b c" ,d )"), (Fields{"a", "b c", "d"}));
    EXPECT_EQ(csvFields(R"(6" refractor,1)"), (Fields{"6\" refractor", "1"}));
}

TEST(CsvTest, WhatIsWrittenReadsBack) {
    std::mt19937 random(3);
    const std::string letters = "ab ,\"'|;\t";
    for (int n = 0; n < 2000; ++n) {
        Fields fields;
        std::string line;
        for (int f = 0; f < 4; ++f) {
            std::string text;
            for (auto k = random() % 7; k > 0; --k) {
                text += letters[random() % letters.size()];
            }
            // Blanks around a field that needs no quotes are no part of it.
            if (text.find_first_of(",\"") == std::string::npos) {
                text = std::string(trim(text));
            }
            line += (f == 0 ? "" : ",") + csvField(text);
            fields.push_back(text);
        }
        ASSERT_EQ(csvFields(line), fields) << line;
    }
}

TEST(CsvTest, ALineStaysALine) {
    EXPECT_EQ(csvField("two\nlines\r"), "two lines ");
}

TEST(ByteOrderMarkTest, IsTakenOffTheFrontAlone) {
    EXPECT_EQ(withoutByteOrderMark("\xEF\xBB\xBF"
                                   "ra,dec"),
              "ra,dec");
    EXPECT_EQ(withoutByteOrderMark("ra,dec"), "ra,dec");
    EXPECT_EQ(withoutByteOrderMark("ra\xEF\xBB\xBF"), "ra\xEF\xBB\xBF");
    EXPECT_EQ(withoutByteOrderMark(""), "");
    EXPECT_EQ(withoutByteOrderMark("\xEF\xBB"), "\xEF\xBB");
}

TEST(LowerTest, LettersOfTheAlphabetAlone) {
    EXPECT_EQ(toLower("RA, Dec 2034 EQ7"), "ra, dec 2034 eq7");
    // Bytes of other letters stay as they are: they are no letters by themselves.
    EXPECT_EQ(toLower("K\xC3\x84MP"), "k\xC3\x84mp");
    EXPECT_EQ(toLower(""), "");
}

} // namespace
} // namespace pathmark
