#include "desk/bodies/bodies_list.h"

#include "core/identify/bodies_in_frame.h"
#include "desk/shell/words.h"
#include "desk/theme/theme.h"

#include <QMouseEvent>
#include <QPainter>
#include <QStyledItemDelegate>

#include <algorithm>
#include <cmath>

namespace pathmark::desk {
namespace {

enum BodyRole {
    kName = Qt::UserRole + 1,
    kBody,
    kMagnitude,
    kRate,
    kFrameSnr,
    kStackSnr,
    kMeasured,
    kKept,
    kCandidate,
    kShown,
    kFound,
    kMissing,
    kFrames,
    kArchive,
    kFold
};

/// Length of a bar for a signal-to-noise: the threshold of reach stands at a third, 300 at the end.
double barShare(double snr) {
    return std::clamp(std::log10(std::max(snr, 0.5) / 0.5) / std::log10(600.0), 0.0, 1.0);
}

orbit::BodyId bodyAt(const QModelIndex& index) {
    return orbit::BodyId::of(index.data(kBody).toString().toStdString());
}

bool isSameButCounts(BodyView a, const BodyView& b) {
    a.measured = b.measured;
    a.kept = b.kept;
    return a == b;
}

class BodyDelegate : public QStyledItemDelegate {
  public:
    BodyDelegate(const BodiesList& list) : list_(list) {}

    QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex& index) const override {
        return {180, static_cast<int>(scaled(index.data(kFold).toBool() ? 26 : 54))};
    }

    void paint(QPainter* painter,
               const QStyleOptionViewItem& option,
               const QModelIndex& index) const override {
        const Colours& c = colours();
        const QRectF box = option.rect;
        painter->save();
        if (index.data(kFold).toBool()) {
            painter->setPen(c.quiet);
            painter->drawText(
                box.adjusted(12, 0, -4, 0), Qt::AlignVCenter, index.data().toString());
            painter->restore();
            return;
        }
        const QString name = index.data(kName).toString();
        const bool inHand = bodyAt(index) == list_.inHand();
        if (inHand) {
            painter->fillRect(QRectF(box.left(), box.top() + 2, 3, box.height() - 4), c.inHand);
        }
        QFont bold = option.font;
        bold.setBold(true);
        painter->setFont(bold);
        painter->setPen(inHand ? c.inHand : c.text);
        const bool candidate = index.data(kCandidate).toBool();
        const int right = painter->fontMetrics().horizontalAdvance("V 22.2 ") + 8;
        painter->drawText(box.adjusted(12, 4, -right, 0),
                          Qt::AlignTop | Qt::AlignLeft,
                          painter->fontMetrics().elidedText(
                              name, Qt::ElideRight, static_cast<int>(box.width()) - 12 - right));
        painter->setFont(option.font);
        painter->setPen(c.quiet);
        const double magnitude = index.data(kMagnitude).toDouble();
        const QString text = magnitude < 90.0
                                 ? QString(candidate ? "%1" : "V %1").arg(magnitude, 0, 'f', 1)
                                 : QString();
        painter->drawText(box.adjusted(12, 4, -8, 0), Qt::AlignTop | Qt::AlignRight, text);
        const bool missing = index.data(kMissing).toBool();
        const QString rate = QString("%1″/min").arg(index.data(kRate).toDouble(), 0, 'f', 2);
        const QString second =
            missing ? Words::tr("△ seen in %1 of %2 frames")
                          .arg(index.data(kFound).toInt())
                          .arg(index.data(kShown).toInt())
            : candidate ? Words::tr("%1 · candidate").arg(rate)
            : index.data(kArchive).toBool()
                ? Words::tr("%1 · in %n frame(s)", nullptr, index.data(kFrames).toInt()).arg(rate)
                : Words::tr("%1 · %2 of %3 kept")
                      .arg(rate)
                      .arg(index.data(kKept).toInt())
                      .arg(index.data(kMeasured).toInt());
        painter->setPen(missing ? c.disagrees : c.quiet);
        painter->drawText(box.adjusted(12, scaled(20), -6, 0),
                          Qt::AlignTop | Qt::AlignLeft,
                          painter->fontMetrics().elidedText(
                              second, Qt::ElideRight, static_cast<int>(box.width()) - 18));
        drawBar(*painter, box, index);
        painter->restore();
    }

  private:
    static void drawBar(QPainter& painter, const QRectF& box, const QModelIndex& index) {
        const Colours& c = colours();
        // What was found is not predicted: a candidate's bar is as bright as its sources are.
        const QColor colour = index.data(kCandidate).toBool() ? c.agreed : c.predicted;
        const QRectF bar(box.left() + 12, box.bottom() - scaled(14), box.width() - 24, scaled(6));
        painter.fillRect(bar, c.line);
        const double frame = bar.width() * barShare(index.data(kFrameSnr).toDouble());
        const double stack = bar.width() * barShare(index.data(kStackSnr).toDouble());
        // Solid: one frame. Outlined: all frames added.
        painter.fillRect(QRectF(bar.left(), bar.top(), frame, bar.height()), colour);
        painter.setPen(QPen(colour, 1.0));
        painter.drawRect(QRectF(bar.left(), bar.top(), stack, bar.height()));
        const double threshold = bar.left() + bar.width() * barShare(identify::kReachSnr);
        painter.setPen(QPen(c.text, 1.0));
        painter.drawLine(QPointF(threshold, bar.top() - 3), QPointF(threshold, bar.bottom() + 3));
    }

    const BodiesList& list_;
};

} // namespace

BodiesList::BodiesList(QWidget* parent) : QListView(parent) {
    setObjectName("bodies");
    setAccessibleName(tr("Bodies"));
    setModel(&model_);
    auto* delegate = new BodyDelegate(*this);
    delegate->setParent(this);
    setItemDelegate(delegate);
    setEditTriggers(QAbstractItemView::NoEditTriggers);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setFrameShape(QFrame::NoFrame);
    // The window's keys stay its own: a list with focus would take letters for a search.
    setFocusPolicy(Qt::NoFocus);
    setToolTip(tr(
        "Bodies in order of reach. Solid bar: signal-to-noise in one frame; outline: in all "
        "frames added; the "
        "stroke: what can be seen. Candidates are no known bodies: their bars are what was found. "
        "Up and Down choose, S shows the stack."));
}

void BodiesList::setNight(const NightSnapshot* night) {
    night_ = night;
    if (night_ == nullptr || !recount()) {
        fill();
    }
}

/// Where only what is kept has changed: the rows stay.
bool BodiesList::recount() {
    std::size_t row = 0;
    for (const BodyView& body : night_->bodies) {
        if (!body.inReach() && !unfolded_) {
            continue;
        }
        QStandardItem* item = row < static_cast<std::size_t>(model_.rowCount())
                                  ? model_.item(static_cast<int>(row))
                                  : nullptr;
        if (item == nullptr || row >= filled_.size() || !isSameButCounts(filled_[row], body)) {
            return false;
        }
        if (item->data(kMeasured).toInt() != body.measured ||
            item->data(kKept).toInt() != body.kept) {
            item->setData(body.measured, kMeasured);
            item->setData(body.kept, kKept);
        }
        ++row;
    }
    return row == filled_.size();
}

void BodiesList::setInHand(const orbit::BodyId& body) {
    inHand_ = body;
    filling_ = true;
    for (int row = 0; row < model_.rowCount(); ++row) {
        if (bodyAt(model_.index(row, 0)) == body) {
            setCurrentIndex(model_.index(row, 0));
        }
    }
    filling_ = false;
    viewport()->update();
}

void BodiesList::fill() {
    filling_ = true;
    model_.clear();
    filled_.clear();
    int beyond = 0;
    if (night_ != nullptr) {
        for (const BodyView& body : night_->bodies) {
            if (!body.inReach() && !unfolded_) {
                ++beyond;
                continue;
            }
            auto* item = new QStandardItem(QString::fromStdString(body.name));
            item->setData(QString::fromStdString(body.name), kName);
            item->setData(QString::fromStdString(body.id.text()), kBody);
            item->setData(body.magnitude, kMagnitude);
            item->setData(body.rateArcsecPerMin, kRate);
            item->setData(body.frameSnr, kFrameSnr);
            item->setData(body.stackSnr, kStackSnr);
            item->setData(body.measured, kMeasured);
            item->setData(body.kept, kKept);
            item->setData(body.candidate, kCandidate);
            item->setData(body.shown, kShown);
            item->setData(body.found, kFound);
            item->setData(body.isMissing(), kMissing);
            item->setData(body.frames, kFrames);
            item->setData(night_->isArchive, kArchive);
            model_.appendRow(item);
            filled_.push_back(body);
        }
    }
    if (beyond > 0) {
        auto* item = new QStandardItem(tr("+ %1 beyond reach").arg(beyond));
        item->setData(true, kFold);
        model_.appendRow(item);
    }
    filling_ = false;
    setInHand(inHand_);
}

void BodiesList::step(int by) {
    const auto bodies = shown();
    const auto at = std::find(bodies.begin(), bodies.end(), inHand_);
    if (bodies.empty()) {
        return;
    }
    const auto place = at == bodies.end() ? 0 : at - bodies.begin();
    const auto next =
        std::clamp<std::ptrdiff_t>(place + by, 0, static_cast<std::ptrdiff_t>(bodies.size()) - 1);
    setCurrentIndex(model_.index(static_cast<int>(next), 0));
}

std::vector<orbit::BodyId> BodiesList::shown() const {
    std::vector<orbit::BodyId> bodies;
    for (int row = 0; row < model_.rowCount(); ++row) {
        if (!model_.index(row, 0).data(kFold).toBool()) {
            bodies.push_back(bodyAt(model_.index(row, 0)));
        }
    }
    return bodies;
}

void BodiesList::currentChanged(const QModelIndex& current, const QModelIndex& previous) {
    QListView::currentChanged(current, previous);
    if (filling_ || !current.isValid() || current.data(kFold).toBool()) {
        return;
    }
    inHand_ = bodyAt(current);
    viewport()->update();
    emit chosen(inHand_);
}

void BodiesList::paintEvent(QPaintEvent* event) {
    QListView::paintEvent(event);
    if (model_.rowCount() == 0) {
        QPainter painter(viewport());
        painter.setPen(colours().quiet);
        painter.drawText(
            viewport()->rect().adjusted(14, 14, -14, -14),
            Qt::AlignTop | Qt::AlignHCenter | Qt::TextWordWrap,
            tr("Known bodies of the field will stand here, the easiest to see first."));
    }
}

void BodiesList::mousePressEvent(QMouseEvent* event) {
    const QModelIndex at = indexAt(event->pos());
    if (at.isValid() && at.data(kFold).toBool()) {
        unfolded_ = true;
        fill();
        return;
    }
    QListView::mousePressEvent(event);
}

} // namespace pathmark::desk
