#pragma once

#include <QPaintDevice>
#include <QPaintEngine>
#include <QRectF>
#include <QString>
#include <QTransform>
#include <QWidget>

#include <memory>
#include <vector>

namespace pathmark::test_support {

/// A piece of text as it was painted, in the pixels of its widget.
struct PaintedText {
    QString text;
    QRectF box;
};

/// A device that keeps what text is painted on it, and where; everything else is passed over.
class TextRecorder : public QPaintDevice {
  public:
    explicit TextRecorder(const QSize& size) : size_(size), engine_(std::make_unique<Engine>()) {}

    [[nodiscard]] QPaintEngine* paintEngine() const override { return engine_.get(); }

    [[nodiscard]] const std::vector<PaintedText>& texts() const { return engine_->texts; }

    /// What a widget paints itself, without its children.
    static std::vector<PaintedText> of(QWidget& widget) {
        TextRecorder recorder(widget.size());
        widget.render(&recorder, {}, {}, QWidget::RenderFlags());
        return recorder.texts();
    }

  protected:
    int metric(PaintDeviceMetric metric) const override {
        switch (metric) {
        case PdmWidth: return size_.width();
        case PdmHeight: return size_.height();
        case PdmDpiX:
        case PdmDpiY:
        case PdmPhysicalDpiX:
        case PdmPhysicalDpiY: return 96;
        case PdmDepth: return 32;
        case PdmNumColors: return 1 << 24;
        case PdmDevicePixelRatio: return 1;
        case PdmDevicePixelRatioScaled: return static_cast<int>(devicePixelRatioFScale());
        default: return 0;
        }
    }

  private:
    class Engine : public QPaintEngine {
      public:
        Engine() : QPaintEngine(AllFeatures) {}

        bool begin(QPaintDevice*) override { return true; }

        bool end() override { return true; }

        void updateState(const QPaintEngineState& now) override {
            if ((now.state() & DirtyTransform) != 0) {
                transform_ = now.transform();
            }
        }

        void drawTextItem(const QPointF& place, const QTextItem& item) override {
            const QRectF box(
                place.x(), place.y() - item.ascent(), item.width(), item.ascent() + item.descent());
            texts.push_back({item.text(), transform_.mapRect(box)});
        }

        void drawPixmap(const QRectF&, const QPixmap&, const QRectF&) override {}

        void
        drawImage(const QRectF&, const QImage&, const QRectF&, Qt::ImageConversionFlags) override {}

        void drawTiledPixmap(const QRectF&, const QPixmap&, const QPointF&) override {}

        void drawPath(const QPainterPath&) override {}

        void drawPolygon(const QPointF*, int, PolygonDrawMode) override {}

        void drawPolygon(const QPoint*, int, PolygonDrawMode) override {}

        void drawRects(const QRectF*, int) override {}

        void drawRects(const QRect*, int) override {}

        void drawLines(const QLineF*, int) override {}

        void drawLines(const QLine*, int) override {}

        void drawEllipse(const QRectF&) override {}

        void drawPoints(const QPointF*, int) override {}

        [[nodiscard]] Type type() const override { return User; }

        std::vector<PaintedText> texts;

      private:
        QTransform transform_;
    };

    QSize size_;
    std::unique_ptr<Engine> engine_;
};

} // namespace pathmark::test_support
