#include "standin/survey_service.h"

#include "core/base/angle.h"
#include "core/base/text.h"
#include "core/samp/loopback_server.h"

#include <fmt/format.h>
#include <healpix_base.h>
#include <png.h>
#include <rangeset.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <numbers>
#include <vector>

namespace pathmark::standin {
namespace {

using Cells = T_Healpix_Base<std::int64_t>;

constexpr float kSky = 100.0F;
constexpr double kBright = 25.0; ///< magnitude of one unit of light

/// Of the cell alone: a tile is the same whenever it is drawn. Nearly normal, of width 1.
float noiseOf(std::int64_t cell) {
    float sum = 0.0F;
    auto state = static_cast<std::uint64_t>(cell) * 0x9E3779B97F4A7C15ULL + 1;
    for (int i = 0; i < 4; ++i) {
        state ^= state >> 30;
        state *= 0xBF58476D1CE4E5B9ULL;
        state ^= state >> 27;
        sum += static_cast<float>(state >> 40) / 16777216.0F - 0.5F;
    }
    return sum * 1.7320508F;
}

std::string card(const std::string& text) {
    return fmt::format("{:80}", text);
}

/// A float image of one tile, first row at the bottom.
std::string fitsOf(const std::vector<float>& values, int width) {
    std::string file =
        card("SIMPLE  =                    T") + card("BITPIX  =                  -32") +
        card("NAXIS   =                    2") + card(fmt::format("NAXIS1  = {:>20}", width)) +
        card(fmt::format("NAXIS2  = {:>20}", width)) + card("END");
    file.resize(2880, ' ');
    for (const float value : values) {
        const auto bits = std::bit_cast<std::uint32_t>(value);
        for (int shift = 24; shift >= 0; shift -= 8) {
            file += static_cast<char>(bits >> shift & 0xFFU);
        }
    }
    file.resize((file.size() + 2879) / 2880 * 2880, '\0');
    return file;
}

/// The same in eight bits, as a display would show it, first row at the top.
std::string pngOf(const std::vector<float>& values, int width, float noise) {
    std::vector<png_byte> bytes(values.size());
    const auto side = static_cast<std::size_t>(width);
    for (std::size_t y = 0; y < side; ++y) {
        for (std::size_t x = 0; x < side; ++x) {
            const float above = (values[y * side + x] - kSky) / noise;
            bytes[(side - 1 - y) * side + x] = static_cast<png_byte>(
                std::clamp(40.0F + 25.0F * std::asinh(above / 2.0F), 0.0F, 255.0F));
        }
    }
    png_image image{};
    image.version = PNG_IMAGE_VERSION;
    image.width = image.height = static_cast<png_uint_32>(width);
    image.format = PNG_FORMAT_GRAY;
    png_alloc_size_t size = 0;
    png_image_write_to_memory(&image, nullptr, &size, 0, bytes.data(), 0, nullptr);
    std::string file(size, '\0');
    png_image_write_to_memory(&image, file.data(), &size, 0, bytes.data(), 0, nullptr);
    file.resize(size);
    return file;
}

} // namespace

struct SurveyService::State {
    struct Star {
        vec3 place;
        double light = 0.0;
    };

    SurveyOptions options;
    samp::LoopbackServer http;
    std::vector<Star> stars;
    double noise = 1.0;

    void readStars() {
        const StarRows table = readRows(options.stars);
        const auto number = [&](const std::vector<std::string>& row, const char* column) {
            const int at = table.column(column);
            return at < 0 ? 0.0 : parseNumber(row[static_cast<std::size_t>(at)]).value_or(0.0);
        };
        for (const auto& row : table.rows) {
            const double years = options.epoch - std::max(1900.0, number(row, "ref_epoch"));
            const double dec = number(row, "dec");
            const double mas = years / 3.6e6;
            SkyPos sky = skyDegrees(number(row, "ra") + number(row, "pmra") * mas /
                                                            std::cos(dec * kRadiansPerDegree),
                                    dec + number(row, "pmdec") * mas);
            stars.push_back(
                {toVector(sky), std::pow(10.0, 0.4 * (kBright - number(row, "phot_g_mean_mag")))});
        }
    }

    [[nodiscard]] vec3 toVector(const SkyPos& sky) const {
        Vec3 v = sky.vector();
        if (options.galactic) {
            // ESA SP-1200, vol. 1, sec. 1.5.3.
            constexpr double turn[3][3] = {
                {-0.0548755604162154, -0.8734370902348850, -0.4838350155487132},
                {+0.4941094278755837, -0.4448296299600112, +0.7469822444972189},
                {-0.8676661490190047, -0.1980763734312015, +0.4559837761750669}};
            Vec3 turned{};
            for (std::size_t i = 0; i < 3; ++i) {
                turned[i] = turn[i][0] * v[0] + turn[i][1] * v[1] + turn[i][2] * v[2];
            }
            v = turned;
        }
        return {v[0], v[1], v[2]};
    }

    /// The values of a tile: its cells' centres are those of the HEALPix library.
    [[nodiscard]] std::vector<float> draw(int order, std::int64_t cell) const {
        const int depth = std::countr_zero(static_cast<unsigned>(options.tileWidth));
        const Cells fine(order + depth, NEST);
        const std::int64_t inTile = std::int64_t{1} << (2 * depth);
        const std::int64_t first = cell * inTile;
        const auto side = static_cast<std::size_t>(options.tileWidth);
        std::vector<float> values(side * side);
        const auto placeOf = [&](std::int64_t number) {
            std::size_t x = 0;
            std::size_t y = 0;
            for (int bit = 0; bit < depth; ++bit) {
                x |= static_cast<std::size_t>(number >> (2 * bit) & 1) << bit;
                y |= static_cast<std::size_t>(number >> (2 * bit + 1) & 1) << bit;
            }
            return y * side + x;
        };
        for (std::int64_t i = 0; i < inTile; ++i) {
            values[placeOf(i)] = kSky + static_cast<float>(noise) *
                                            noiseOf((std::int64_t{order} << 58) ^ (first + i));
        }
        const double sigma = options.fwhmArcsec / 2.3548 * kRadiansPerArcsec;
        const double reach = 5.0 * sigma;
        const double area = 4.0 * std::numbers::pi / static_cast<double>(fine.Npix());
        const vec3 middle = Cells(order, NEST).pix2vec(cell);
        const double radius = Cells(order, NEST).max_pixrad() + reach;
        for (const Star& star : stars) {
            if (dotprod(middle, star.place) < std::cos(radius)) {
                continue;
            }
            rangeset<std::int64_t> around;
            fine.query_disc(pointing(star.place), reach, around);
            for (std::size_t r = 0; r < around.nranges(); ++r) {
                for (std::int64_t at = std::max(first, around.ivbegin(r));
                     at < std::min(first + inTile, around.ivend(r));
                     ++at) {
                    const vec3 off = fine.pix2vec(at) - star.place;
                    values[placeOf(at - first)] += static_cast<float>(
                        star.light * area / (2.0 * std::numbers::pi * sigma * sigma) *
                        std::exp(-0.5 * off.SquaredLength() / (sigma * sigma)));
                }
            }
        }
        return values;
    }

    /// Light of the faintest star that is to be seen, five times the noise within its width.
    void setNoise() {
        const double pixel = std::sqrt(4.0 * std::numbers::pi /
                                       (std::ldexp(12.0, 2 * options.order) * options.tileWidth *
                                        options.tileWidth)) /
                             kRadiansPerArcsec;
        const double sigma = options.fwhmArcsec / 2.3548 / pixel;
        const double light = std::pow(10.0, 0.4 * (kBright - options.faintestG));
        noise = light / (5.0 * std::sqrt(4.0 * std::numbers::pi) * sigma);
    }

    [[nodiscard]] std::string properties() const {
        const double day = (options.epoch - 2000.0) * 365.25 + 51544.5;
        return fmt::format("creator_did          = ivo://made.up/P/survey\n"
                           "obs_title            = Made-up survey of {:.0f}\n"
                           "dataproduct_type     = image\n"
                           "hips_version         = 1.4\n"
                           "hips_frame           = {}\n"
                           "hips_order           = {}\n"
                           "hips_tile_width      = {}\n"
                           "hips_tile_format     = {}\n"
                           "t_min                = {:.3f}\n"
                           "t_max                = {:.3f}\n",
                           options.epoch,
                           options.galactic ? "galactic" : "equatorial",
                           options.order,
                           options.tileWidth,
                           options.formats,
                           day,
                           day);
    }

    bool misbehave(int number, httplib::Response& response) {
        switch (options.fault) {
        case Fault::None: return false;
        case Fault::Slow: http.pause(std::chrono::seconds(2)); return false;
        case Fault::Hangs: http.pause(std::chrono::seconds(60)); return false;
        case Fault::Web:
            response.set_content("<!DOCTYPE html><html><body>Please log in</body></html>",
                                 "text/html");
            return true;
        case Fault::Rubbish:
            response.set_content("\x01\xFF\x02 nothing", "image/fits");
            return true;
        case Fault::Broken: response.status = 500; return true;
        case Fault::Refuses: response.status = 403; return true;
        case Fault::BusyOnce: response.status = number == 1 ? 503 : 200; return number == 1;
        case Fault::Closes:
        case Fault::ClosesOnce:
            if (options.fault == Fault::ClosesOnce && number > 1) {
                return false;
            }
            response.set_content_provider(
                100'000,
                "image/fits",
                [](std::size_t offset, std::size_t, httplib::DataSink& sink) {
                    return offset == 0 && sink.write("SIMPLE", 6);
                });
            return true;
        }
        return false;
    }

    void onTile(const httplib::Request& request, httplib::Response& response) {
        if (misbehave(++http.requests, response)) {
            return;
        }
        const int order = std::stoi(request.matches[1]);
        const std::int64_t cell = std::stoll(request.matches[3]);
        const std::string format = request.matches[4];
        const bool isThere = order <= options.order &&
                             cell / 10000 * 10000 == std::stoll(request.matches[2]) &&
                             cell < Cells(std::min(order, 20), NEST).Npix() &&
                             options.formats.find(format) != std::string::npos;
        if (!isThere) {
            response.status = 404;
            return;
        }
        const auto values = draw(order, cell);
        if (format == "fits") {
            response.set_content(fitsOf(values, options.tileWidth), "image/fits");
        } else {
            response.set_content(pngOf(values, options.tileWidth, static_cast<float>(noise)),
                                 "image/png");
        }
    }
};

SurveyService::SurveyService(const SurveyOptions& options) : state_(std::make_unique<State>()) {
    State& s = *state_;
    s.options = options;
    s.readStars();
    s.setNoise();
    s.http.server.Get("/survey/properties",
                      [&s](const httplib::Request&, httplib::Response& response) {
                          if (!s.misbehave(++s.http.requests, response)) {
                              response.set_content(s.properties(), "text/plain");
                          }
                      });
    s.http.server.Get(R"(/survey/Norder(\d{1,2})/Dir(\d{1,18})/Npix(\d{1,18})\.(fits|png))",
                      [&s](const httplib::Request& q, httplib::Response& r) { s.onTile(q, r); });
    s.http.start(options.port);
}

SurveyService::~SurveyService() = default;

std::string SurveyService::address() const {
    return state_->http.address() + "/survey";
}

int SurveyService::requests() const {
    return state_->http.requests;
}

void SurveyService::wait() {
    state_->http.wait();
}

} // namespace pathmark::standin
