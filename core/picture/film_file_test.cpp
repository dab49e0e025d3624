#include "core/picture/film_file.h"

#include "tests/support/temporary_folder.h"

extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
#include <libswscale/swscale.h>
}

#include <gtest/gtest.h>

#include <array>
#include <cmath>
#include <string>
#include <vector>

namespace pathmark::picture {
namespace {

using test_support::TemporaryFolder;

constexpr int kWidth = 64;
constexpr int kHeight = 48;

/// Picture `number` of a film: a bright square that moves to the right, on a dark ground.
ColourPicture square(int number, bool isGrey) {
    ColourPicture picture;
    for (std::size_t c = 0; c < 3; ++c) {
        picture.planes[c] = frame::Image(kWidth, kHeight, 0.1F);
        for (int y = 16; y < 32; ++y) {
            for (int x = 4 * number; x < 4 * number + 16; ++x) {
                picture.planes[c].at(x, y) = isGrey || c == 0 ? 0.9F : 0.3F;
            }
        }
    }
    picture.isGrey = isGrey;
    return picture;
}

/// A film as the decoders of libav see it.
struct Seen {
    std::string codec;
    int width = 0;
    int height = 0;
    double rate = 0.0;
    std::vector<std::vector<std::uint8_t>> pictures; ///< red, green, blue
};

Seen watch(const std::filesystem::path& path) {
    Seen seen;
    AVFormatContext* container = nullptr;
    EXPECT_GE(avformat_open_input(&container, path.c_str(), nullptr, nullptr), 0);
    if (container == nullptr) {
        return seen;
    }
    avformat_find_stream_info(container, nullptr);
    const AVCodecParameters* parameters = container->streams[0]->codecpar;
    const AVCodec* decoder = avcodec_find_decoder(parameters->codec_id);
    AVCodecContext* context = avcodec_alloc_context3(decoder);
    avcodec_parameters_to_context(context, parameters);
    avcodec_open2(context, decoder, nullptr);
    seen.codec = avcodec_get_name(parameters->codec_id);
    seen.width = parameters->width;
    seen.height = parameters->height;
    seen.rate = av_q2d(container->streams[0]->avg_frame_rate);
    AVPacket* packet = av_packet_alloc();
    AVFrame* frame = av_frame_alloc();
    const auto take = [&] {
        while (avcodec_receive_frame(context, frame) >= 0) {
            std::vector<std::uint8_t> bytes(3 * static_cast<std::size_t>(frame->width) *
                                            static_cast<std::size_t>(frame->height));
            SwsContext* scaler = sws_getContext(frame->width,
                                                frame->height,
                                                static_cast<AVPixelFormat>(frame->format),
                                                frame->width,
                                                frame->height,
                                                AV_PIX_FMT_RGB24,
                                                SWS_BICUBIC,
                                                nullptr,
                                                nullptr,
                                                nullptr);
            const std::array<std::uint8_t*, 1> rows{bytes.data()};
            const std::array<int, 1> strides{3 * frame->width};
            sws_scale(scaler,
                      frame->data,
                      frame->linesize,
                      0,
                      frame->height,
                      rows.data(),
                      strides.data());
            sws_freeContext(scaler);
            seen.pictures.push_back(std::move(bytes));
        }
    };
    while (av_read_frame(container, packet) >= 0) {
        avcodec_send_packet(context, packet);
        av_packet_unref(packet);
        take();
    }
    avcodec_send_packet(context, nullptr);
    take();
    av_frame_free(&frame);
    av_packet_free(&packet);
    avcodec_free_context(&context);
    avformat_close_input(&container);
    return seen;
}

Result<bool> makeFilm(const std::filesystem::path& path, int pictures, bool isGrey) {
    return writeFilm(path, 8.0, [&](FilmWriter& film) -> Result<bool> {
        for (int k = 0; k < pictures; ++k) {
            if (auto added = film.add(Raster(square(k, isGrey), true)); !added) {
                return added;
            }
        }
        return true;
    });
}

/// Truth: the pictures that were put in, as the decoders give them back. Rows count from the top there.
TEST(FilmFileTest, EveryFormatGivesItsPicturesBack) {
    const TemporaryFolder folder;
    for (const auto& [name, codec, isGrey] :
         {std::tuple{"a.mp4", "h264", false}, {"a.webm", "vp9", false}, {"a.gif", "gif", true}}) {
        ASSERT_TRUE(makeFilm(folder / name, 10, isGrey)) << name;
        const Seen seen = watch(folder / name);
        EXPECT_EQ(seen.codec, codec);
        EXPECT_EQ(seen.width, kWidth);
        EXPECT_EQ(seen.height, kHeight);
        EXPECT_NEAR(seen.rate, 8.0, 0.4) << name; // a GIF's time is in hundredths of a second
        ASSERT_EQ(seen.pictures.size(), 10U) << name;
        for (int k = 0; k < 10; ++k) {
            const auto at = [&](int x, int y, std::size_t c) {
                return seen.pictures[static_cast<std::size_t>(
                           k)][3 * static_cast<std::size_t>((kHeight - 1 - y) * kWidth + x) + c] /
                       255.0;
            };
            EXPECT_NEAR(at(4 * k + 8, 24, 0), 0.9, 0.06) << name << " " << k;
            EXPECT_NEAR(at(4 * k + 8, 24, 2), isGrey ? 0.9 : 0.3, 0.1) << name << " " << k;
            EXPECT_NEAR(at(4 * k + 8, 6, 1), 0.1, 0.06) << name << " " << k;
        }
    }
}

TEST(FilmFileTest, AFilmOfNothingIsNone) {
    const TemporaryFolder folder;
    const auto made = makeFilm(folder / "a.mp4", 0, true);
    ASSERT_FALSE(made);
    EXPECT_EQ(made.error().id, ErrorId::PictureNoLayer);
    EXPECT_TRUE(std::filesystem::is_empty(folder.path()));
}

TEST(FilmFileTest, WhatCannotBeWrittenIsSaid) {
    const TemporaryFolder folder;
    const auto made = makeFilm(folder / "no" / "a.mp4", 3, true);
    ASSERT_FALSE(made);
    EXPECT_FALSE(isFilmName("a.avi"));
}

} // namespace
} // namespace pathmark::picture
