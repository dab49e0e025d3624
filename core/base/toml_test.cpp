#include "core/base/toml.h"

#include <gtest/gtest.h>

namespace pathmark {
namespace {

/// Truth: the examples and words of the TOML 1.0.0 specification.
TEST(TomlTest, ReadsEveryKindOfValue) {
    const Toml root = Toml::parse("title = \"a \\\"quoted\\\" word\"\n"
                                  "path = 'C:\\no\\escape'\n"
                                  "whole = -17\n"
                                  "large = 1_000\n"
                                  "hex = 0xDEAD\n"
                                  "point = 3.25\n"
                                  "small = 5e-22\n"
                                  "yes = true\n"
                                  "list = [1, 2.5, 3]\n"
                                  "words = ['a', 'b']\n"
                                  "[section]\nkey = 'v'\n"
                                  "[[many]]\nn = 1\n[[many]]\nn = 2\n",
                                  "test");
    EXPECT_EQ(root.at("title").text(), "a \"quoted\" word");
    EXPECT_EQ(root.at("path").text(), "C:\\no\\escape");
    EXPECT_EQ(root.at("whole").whole(), -17);
    EXPECT_EQ(root.at("large").whole(), 1000);
    EXPECT_EQ(root.at("hex").whole(), 0xDEAD);
    EXPECT_EQ(root.at("point").number(), 3.25);
    EXPECT_EQ(root.at("small").number(), 5e-22);
    EXPECT_EQ(root.at("whole").number(), -17.0) << "a whole number is a number";
    EXPECT_TRUE(root.at("yes").flag());
    ASSERT_EQ(root.at("list").list().size(), 3U);
    EXPECT_EQ(root.at("list").list()[1].number(), 2.5);
    EXPECT_EQ(root.at("words").texts(), (std::vector<std::string>{"a", "b"}));
    EXPECT_EQ(root.at("section").at("key").text(), "v");
    ASSERT_EQ(root.at("many").tables().size(), 2U);
    EXPECT_EQ(root.at("many").tables()[1].at("n").whole(), 2);
    EXPECT_EQ(root.at("section").tables().size(), 1U) << "a section stands once";
    EXPECT_EQ(root.find("nothing"), nullptr);
}

TEST(TomlTest, WhatIsNoTomlIsSaidWithItsLine) {
    try {
        Toml::parse("a = 1\nb = \n", "test");
        FAIL() << "read";
    } catch (const TomlError& error) {
        EXPECT_TRUE(error.isSyntax);
        EXPECT_EQ(error.line, 2);
        const std::string words = error.what();
        EXPECT_EQ(words.find("toml::"), std::string::npos) << words;
        EXPECT_EQ(words.find('\n'), std::string::npos) << words;
    }
}

TEST(TomlTest, AskingForTheWrongKindNamesTheLineAndWhatItShouldBe) {
    const Toml root = Toml::parse("a = 1\n\nb = 'text'\nbig = 99999999999\n", "test");
    const auto wordsOf = [](const auto& ask) {
        try {
            ask();
        } catch (const TomlError& error) {
            EXPECT_FALSE(error.isSyntax);
            return std::string(error.what());
        }
        return std::string("nothing");
    };
    EXPECT_EQ(wordsOf([&] { return root.at("a").text(); }), "line 1 should be text in quotes");
    EXPECT_EQ(wordsOf([&] { return root.at("b").number(); }), "line 3 should be a number");
    EXPECT_EQ(wordsOf([&] { return root.at("b").whole(); }), "line 3 should be a whole number");
    EXPECT_EQ(wordsOf([&] { return root.at("b").flag(); }), "line 3 should be true or false");
    EXPECT_EQ(wordsOf([&] { return root.at("b").list(); }), "line 3 should be a list");
    EXPECT_EQ(wordsOf([&] { return root.at("b").table(); }), "line 3 should be a section");
    EXPECT_EQ(wordsOf([&] { return root.at("big").whole(); }), "the number in line 4 is too large");
    EXPECT_NE(wordsOf([&] { return root.at("c"); }).find("has no 'c'"), std::string::npos);
}

TEST(TomlTest, AnUnknownKeyIsSaidWithTheNearestThatIsKnown) {
    const Toml root =
        Toml::parse("[site]\nlongitud_deg = 1\n[[site2]]\ncode='a'\n[[site2]]\nkode='b'\n", "test");
    EXPECT_EQ(*unknownTomlKey(root.at("site"), "site", {"code", "longitude_deg"}),
              "There is no key 'longitud_deg' in [site]; did you mean 'longitude_deg'?");
    EXPECT_EQ(*unknownTomlKey(root.at("site2"), "site2", {"code", "name"}),
              "There is no key 'kode' in [site2]; did you mean 'code'?");
    EXPECT_FALSE(unknownTomlKey(root.at("site"), "site", {"longitud_deg"}));
}

/// The library reads beyond its buffer where text is none.
TEST(TomlTest, BytesThatAreNoTextAreSaidWithTheirLine) {
    for (const std::string bad :
         {"\xff\xff", "\xc3", "\xe2\x82", "\x01", "\x7f", "\xc0\xaf", "\xf8\x88\x80\x80\x80"}) {
        try {
            (void)Toml::parse("a = 1\nname = 'Bra" + bad + "ck'\n", "recipe.toml");
            FAIL() << bad;
        } catch (const TomlError& error) {
            EXPECT_NE(std::string(error.what()).find("no text"), std::string::npos) << error.what();
        }
    }
    EXPECT_NO_THROW((void)Toml::parse("name = 'Brück \xe2\x82\xac'\n", "recipe.toml"));
}

} // namespace
} // namespace pathmark
