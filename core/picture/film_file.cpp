#include "core/picture/film_file.h"

#include "core/base/atomic_file.h"

extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
#include <libavutil/opt.h>
#include <libswscale/swscale.h>
}

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>
#include <string>

namespace pathmark::picture {
namespace libav {

namespace fs = std::filesystem;

/// A format of films.
struct Format {
    const char* ending;
    const char* container;
    const char* encoder;
    const char* said; ///< for a person
    AVPixelFormat pixels;
    const char* quality; ///< constant rate factor; null: none
};

constexpr std::array kFormats{
    Format{".mp4", "mp4", "libx264", "H.264", AV_PIX_FMT_YUV420P, "18"},
    Format{".webm", "webm", "libvpx-vp9", "VP9", AV_PIX_FMT_YUV420P, "24"},
    Format{".gif", "gif", "gif", "GIF", AV_PIX_FMT_PAL8, nullptr},
};

const Format* formatOf(const fs::path& path) {
    const auto* found = std::find_if(kFormats.begin(), kFormats.end(), [&](const Format& f) {
        return path.extension() == f.ending;
    });
    return found == kFormats.end() ? nullptr : found;
}

struct FreeContext {
    void operator()(AVFormatContext* context) const { avformat_free_context(context); }

    void operator()(AVCodecContext* codec) const { avcodec_free_context(&codec); }

    void operator()(AVFrame* frame) const { av_frame_free(&frame); }

    void operator()(AVPacket* packet) const { av_packet_free(&packet); }

    void operator()(SwsContext* scaler) const { sws_freeContext(scaler); }
};

template <typename T>
using Owned = std::unique_ptr<T, FreeContext>;

} // namespace libav

namespace {

namespace fs = std::filesystem;
using libav::Owned;

bool isGrey(std::span<const std::uint8_t> bytes) {
    for (std::size_t k = 0; k + 2 < bytes.size(); k += 3) {
        if (bytes[k] != bytes[k + 1] || bytes[k] != bytes[k + 2]) {
            return false;
        }
    }
    return true;
}

/// Indices into 256 colours and the colours themselves.
void fillPalette(const Raster& picture, bool grey, AVFrame& frame) {
    auto* palette = reinterpret_cast<std::uint32_t*>(frame.data[1]);
    for (std::uint32_t k = 0; k < 256; ++k) {
        const std::uint32_t r = grey ? k : std::min(k / 42U, 5U) * 51U;
        const std::uint32_t g = grey ? k : (k / 6U % 7U) * 255U / 6U;
        const std::uint32_t b = grey ? k : (k % 6U) * 51U;
        palette[k] = 0xff000000U | r << 16U | g << 8U | b;
    }
    const auto bytes = picture.bytes();
    for (int y = 0; y < picture.height(); ++y) {
        std::uint8_t* row = frame.data[0] + static_cast<std::ptrdiff_t>(y) * frame.linesize[0];
        for (int x = 0; x < picture.width(); ++x) {
            const std::uint8_t* p =
                bytes.data() + 3 * (static_cast<std::ptrdiff_t>(y) * picture.width() + x);
            row[x] = grey
                         ? p[0]
                         : static_cast<std::uint8_t>((p[0] + 25) / 51 * 42 +
                                                     (p[1] * 6 + 127) / 255 * 6 + (p[2] + 25) / 51);
        }
    }
}

} // namespace

bool isFilmName(const fs::path& path) {
    return libav::formatOf(path) != nullptr;
}

struct FilmWriter::State {
    const libav::Format* format = nullptr;
    fs::path path; ///< the temporary one
    AVRational rate{25, 1};
    Owned<AVFormatContext> container;
    Owned<AVCodecContext> codec;
    Owned<AVFrame> frame;
    Owned<AVPacket> packet;
    Owned<SwsContext> scaler;
    std::optional<bool> grey; ///< of a palette
    std::int64_t next = 0;

    Result<bool> open(int width, int height);
    Result<bool> send(const AVFrame* picture);
    Result<bool> end();

    [[nodiscard]] tl::unexpected<Error> noEncoder() const {
        return fail(ErrorId::FilmNoEncoder,
                    fmt::format("{} cannot be written on this machine; another ending (.mp4, "
                                ".webm, .gif) may work.",
                                format->said));
    }

    [[nodiscard]] tl::unexpected<Error> cannotWrite(int code) const {
        return fail(writeError(code < 0 ? AVUNERROR(code) : EIO, path));
    }
};

Result<bool> FilmWriter::State::open(int width, int height) {
    const AVCodec* encoder = avcodec_find_encoder_by_name(format->encoder);
    AVFormatContext* made = nullptr;
    avformat_alloc_output_context2(&made, nullptr, format->container, path.c_str());
    container.reset(made);
    if (encoder == nullptr || !container) {
        return noEncoder();
    }
    codec.reset(avcodec_alloc_context3(encoder));
    codec->width = width;
    codec->height = height;
    codec->pix_fmt = format->pixels;
    codec->time_base = av_inv_q(rate);
    codec->framerate = rate;
    codec->gop_size = 12;
    codec->colorspace = AVCOL_SPC_BT709;
    codec->color_primaries = AVCOL_PRI_BT709;
    codec->color_trc = AVCOL_TRC_IEC61966_2_1;
    codec->color_range = AVCOL_RANGE_MPEG;
    if ((container->oformat->flags & AVFMT_GLOBALHEADER) != 0) {
        codec->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
    }
    if (format->quality != nullptr) {
        av_opt_set(codec->priv_data, "crf", format->quality, 0);
    }
    AVStream* stream = avformat_new_stream(container.get(), nullptr);
    if (stream == nullptr || avcodec_open2(codec.get(), encoder, nullptr) < 0) {
        return noEncoder();
    }
    avcodec_parameters_from_context(stream->codecpar, codec.get());
    stream->time_base = codec->time_base;
    stream->avg_frame_rate = rate;
    if (const int code = avio_open(&container->pb, path.c_str(), AVIO_FLAG_WRITE); code < 0) {
        return cannotWrite(code);
    }
    if (const int code = avformat_write_header(container.get(), nullptr); code < 0) {
        return cannotWrite(code);
    }
    frame.reset(av_frame_alloc());
    packet.reset(av_packet_alloc());
    frame->format = format->pixels;
    frame->width = width;
    frame->height = height;
    if (av_frame_get_buffer(frame.get(), 0) < 0) {
        return cannotWrite(AVERROR(ENOMEM));
    }
    if (format->pixels != AV_PIX_FMT_PAL8) {
        scaler.reset(sws_getContext(width,
                                    height,
                                    AV_PIX_FMT_RGB24,
                                    width,
                                    height,
                                    format->pixels,
                                    SWS_BICUBIC | SWS_ACCURATE_RND,
                                    nullptr,
                                    nullptr,
                                    nullptr));
        const int* coefficients = sws_getCoefficients(SWS_CS_ITU709);
        sws_setColorspaceDetails(
            scaler.get(), coefficients, 1, coefficients, 0, 0, 1 << 16, 1 << 16);
    }
    return true;
}

Result<bool> FilmWriter::State::send(const AVFrame* picture) {
    if (const int code = avcodec_send_frame(codec.get(), picture); code < 0) {
        return cannotWrite(code);
    }
    while (true) {
        const int code = avcodec_receive_packet(codec.get(), packet.get());
        if (code == AVERROR(EAGAIN) || code == AVERROR_EOF) {
            return true;
        }
        if (code < 0) {
            return cannotWrite(code);
        }
        packet->duration = packet->duration == 0 ? 1 : packet->duration;
        av_packet_rescale_ts(packet.get(), codec->time_base, container->streams[0]->time_base);
        packet->stream_index = 0;
        if (const int wrote = av_interleaved_write_frame(container.get(), packet.get());
            wrote < 0) {
            return cannotWrite(wrote);
        }
    }
}

Result<bool> FilmWriter::State::end() {
    if (!container || next == 0) {
        return fail(ErrorId::PictureNoLayer, "There is no picture for a film.");
    }
    if (auto sent = send(nullptr); !sent) {
        return sent;
    }
    if (const int code = av_write_trailer(container.get()); code < 0) {
        return cannotWrite(code);
    }
    const int code = avio_closep(&container->pb);
    return code < 0 ? Result<bool>(cannotWrite(code)) : Result<bool>(true);
}

FilmWriter::FilmWriter(std::unique_ptr<State> state) : state_(std::move(state)) {}

FilmWriter::~FilmWriter() {
    if (state_ && state_->container && state_->container->pb != nullptr) {
        avio_closep(&state_->container->pb);
    }
}

FilmWriter::FilmWriter(FilmWriter&&) noexcept = default;
FilmWriter& FilmWriter::operator=(FilmWriter&&) noexcept = default;

Result<bool> FilmWriter::add(const Raster& picture) {
    State& state = *state_;
    if (!state.container) {
        if (auto opened = state.open(picture.width(), picture.height()); !opened) {
            return opened;
        }
    }
    PATHMARK_EXPECTS(picture.width() == state.frame->width &&
                     picture.height() == state.frame->height);
    if (av_frame_make_writable(state.frame.get()) < 0) {
        return state.cannotWrite(AVERROR(ENOMEM));
    }
    if (state.scaler) {
        const std::array<const std::uint8_t*, 1> rows{picture.bytes().data()};
        const std::array<int, 1> strides{3 * picture.width()};
        sws_scale(state.scaler.get(),
                  rows.data(),
                  strides.data(),
                  0,
                  picture.height(),
                  state.frame->data,
                  state.frame->linesize);
    } else {
        if (!state.grey) {
            state.grey = isGrey(picture.bytes());
        }
        fillPalette(picture, *state.grey, *state.frame);
    }
    state.frame->pts = state.next++;
    return state.send(state.frame.get());
}

Result<bool> writeFilm(const fs::path& path,
                       double framesPerSecond,
                       const std::function<Result<bool>(FilmWriter&)>& fill) {
    const libav::Format* format = libav::formatOf(path);
    PATHMARK_EXPECTS(format != nullptr && framesPerSecond > 0.0);
    av_log_set_level(AV_LOG_QUIET);
    return writeWhole(path, [&](const fs::path& temporary) -> Result<bool> {
        auto state = std::make_unique<FilmWriter::State>();
        state->format = format;
        state->path = temporary;
        state->rate = av_d2q(framesPerSecond, 100000);
        FilmWriter writer(std::move(state));
        if (auto filled = fill(writer); !filled) {
            return filled;
        }
        return writer.state_->end();
    });
}

} // namespace pathmark::picture
