#include "app/shell/station_bar.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QShortcut>
#include <QVBoxLayout>
#include <algorithm>
#include <numeric>

namespace nk {

namespace {
constexpr int kWide = 142;
constexpr int kNarrow = 96;
}  // namespace

StationBar::StationBar(QWidget* parent) : QWidget(parent) {
    setObjectName("stationBar");
    setAttribute(Qt::WA_StyledBackground);
    setFixedHeight(60);
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 10, 0);
    row->setSpacing(0);
    auto* left = left_ = new QWidget(this);
    left->setFixedWidth(232);
    auto* words = new QVBoxLayout(left);
    words->setContentsMargins(20, 9, 8, 9);
    words->setSpacing(1);
    book_ = new QLabel(left);
    book_->setProperty("role", "heading");
    note_ = new QLabel(left);
    note_->setProperty("role", "muted");
    note_->setStyleSheet("font-size:12px;");
    words->addWidget(book_);
    words->addWidget(note_);
    row->addWidget(left);
    row->addStretch(1);
    menu_ = new QPushButton(tr("Menu"), this);
    menu_->setObjectName("menu");
    menu_->setAccessibleName(tr("Menu of the program"));
    row->addWidget(menu_);
}

void StationBar::addStation(const QString& name, const QString& question) {
    const int index = static_cast<int>(entries_.size());
    auto* button = new QPushButton(this);
    button->setObjectName(QString("station-%1").arg(index + 1));
    button->setProperty("role", "station");
    button->setCheckable(true);
    button->setFixedHeight(60);
    button->setAccessibleName(name + ": " + question);
    button->setToolTip(tr("%1 (Alt+%2)").arg(question).arg(index + 1));
    auto* box = new QVBoxLayout(button);
    box->setContentsMargins(13, 8, 4, 9);
    box->setSpacing(1);
    auto* title = new QLabel(name, button);
    title->setProperty("role", "heading");
    auto* subtitle = new QLabel(question, button);
    subtitle->setProperty("role", "muted");
    subtitle->setStyleSheet("font-size:12px;");
    for (QLabel* label : {title, subtitle}) label->setAttribute(Qt::WA_TransparentForMouseEvents);
    box->addWidget(title);
    box->addWidget(subtitle);
    static_cast<QHBoxLayout*>(layout())->insertWidget(1 + index, button);
    entries_.push_back({button, subtitle, title});
    arrange();
    connect(button, &QPushButton::clicked, this, [this, index] {
        setCurrent(index);
        Q_EMIT stationChosen(index);
    });
    auto* shortcut = new QShortcut(QKeySequence(QString("Alt+%1").arg(index + 1)), window());
    connect(shortcut, &QShortcut::activated, button, &QPushButton::click);
}

QString StationBar::stationName(int index) const {
    return entries_[static_cast<std::size_t>(index)].name->text();
}

void StationBar::setCurrent(int index) {
    for (std::size_t k = 0; k < entries_.size(); ++k)
        entries_[k].button->setChecked(static_cast<int>(k) == index);
}

void StationBar::setBook(const QString& name, const QString& note) {
    book_->setText(name);
    note_->setText(note);
}

void StationBar::setSubtitlesShown(bool shown) {
    subtitles_ = shown;
    arrange();
}

void StationBar::resizeEvent(QResizeEvent* event) {
    QWidget::resizeEvent(event);
    arrange();
}

void StationBar::arrange() {
    constexpr int kMargins = 13 + 6;
    const int room = width() - left_->width() - menu_->sizeHint().width() - 14;
    const auto content = [&](const Entry& e, bool subtitle) {
        const int words = subtitle
                              ? std::max(e.name->sizeHint().width(), e.subtitle->sizeHint().width())
                              : e.name->sizeHint().width();
        return words + kMargins;
    };
    const auto widths = [&](bool subtitle, int least) {
        std::vector<int> out;
        for (const Entry& e : entries_) out.push_back(std::max(least, content(e, subtitle)));
        return out;
    };
    const auto fits = [&](const std::vector<int>& w) {
        return std::accumulate(w.begin(), w.end(), 0) <= room;
    };
    // As wide as looks well, else as wide as the words; their questions go first.
    bool subtitle = subtitles_;
    std::vector<int> chosen = widths(subtitle, subtitle ? kWide : kNarrow);
    if (!fits(chosen)) chosen = widths(subtitle, 0);
    if (!fits(chosen)) chosen = widths(subtitle = false, 0);
    for (std::size_t k = 0; k < entries_.size(); ++k) {
        entries_[k].subtitle->setVisible(subtitle);
        entries_[k].button->setFixedWidth(chosen[k]);
    }
}

}  // namespace nk
