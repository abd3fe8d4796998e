#include "app/strength/strength_station.h"

#include <QButtonGroup>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>

#include "app/shell/table_habits.h"
#include "app/theme/word_label.h"

namespace nk {

namespace {

QTableWidget* table(QWidget* parent, const char* name, const QString& accessible,
                    const QStringList& heads) {
    auto* t = new QTableWidget(0, static_cast<int>(heads.size()), parent);
    t->setTabKeyNavigation(false);  // Tab leads on to the next part
    t->setObjectName(name);
    t->setAccessibleName(accessible);
    t->setHorizontalHeaderLabels(heads);
    t->verticalHeader()->hide();
    t->verticalHeader()->setDefaultSectionSize(24);
    t->setShowGrid(false);
    t->setEditTriggers(QAbstractItemView::NoEditTriggers);
    t->setSelectionBehavior(QAbstractItemView::SelectRows);
    t->setSelectionMode(QAbstractItemView::SingleSelection);
    t->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    t->horizontalHeader()->setHighlightSections(false);
    t->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    return t;
}

void setRow(QTableWidget* t, int row, const QStringList& texts, const QString& tip, bool strong) {
    for (int c = 0; c < texts.size(); ++c) {
        auto* item = new QTableWidgetItem(texts[c]);
        item->setToolTip(tip.isEmpty() ? texts[c] : tip);
        if (strong) {
            QFont f = item->font();
            f.setWeight(QFont::DemiBold);
            item->setFont(f);
        }
        t->setItem(row, c, item);
    }
}

void fitHeight(QTableWidget* t, int least, int most) {
    t->setFixedHeight(t->horizontalHeader()->sizeHint().height() +
                      24 * std::clamp(t->rowCount(), least, most) + 4);
}

}  // namespace

StrengthStation::StrengthStation(QWidget* parent) : Station(parent) {
    setObjectName("strengthStation");
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(10, 9, 8, 8);
    box->setSpacing(4);
    title_ = new NameLabel(this);
    title_->setObjectName("strengthTitle");
    title_->setProperty("role", "title");
    box->addWidget(title_);
    sentence_ = wordLabel(this, "trueC", "");
    sentence_->setStyleSheet("font-weight:600;");
    box->addWidget(sentence_);
    conditions_ = wordLabel(this, "strengthConditions", "muted");
    box->addWidget(conditions_);
    rating_ = table(this, "rating", tr("The four views of the C rating"),
                    {tr("View"), tr("Current"), tr("Rate"), tr("Under which conditions")});
    rating_->horizontalHeader()->setSectionResizeMode(3, QHeaderView::Stretch);
    rating_->setColumnWidth(0, 118);
    rating_->setColumnWidth(1, 118);
    rating_->setColumnWidth(2, 60);
    giveHabits(rating_, "rating");
    box->addWidget(rating_);

    auto* row = new QHBoxLayout;
    row->setContentsMargins(4, 2, 0, 0);
    row->setSpacing(2);
    pictures_ = new QButtonGroup(this);
    const std::pair<QString, StrengthPlot::Picture> names[] = {
        {tr("R over charge"), StrengthPlot::Picture::OverCharge},
        {tr("R over temperature"), StrengthPlot::Picture::OverTemperature},
        {tr("Sag map"), StrengthPlot::Picture::SagMap},
        {tr("Heat"), StrengthPlot::Picture::Heat},
        {tr("Cells"), StrengthPlot::Picture::Cells},
        {tr("Open circuit"), StrengthPlot::Picture::OpenCircuit}};
    for (const auto& [name, picture] : names) {
        auto* b = new QPushButton(name, this);
        b->setObjectName(QString("picture-%1").arg(static_cast<int>(picture)));
        b->setProperty("role", "row");
        b->setCheckable(true);
        // Room for the bold words of the chosen one.
        QFont strong = b->font();
        strong.setWeight(QFont::DemiBold);
        b->setMinimumWidth(QFontMetrics(strong).horizontalAdvance(name) + 18);
        pictures_->addButton(b, static_cast<int>(picture));
        row->addWidget(b);
    }
    row->addStretch(1);
    auto* reading = new QPushButton(tr("Enter a reading…"), this);
    reading->setObjectName("enterResistance");
    reading->setProperty("role", "link");
    reading->setToolTip(tr("A 1 kHz meter's or a charger's milliohms, once or several times"));
    row->addWidget(reading);
    box->addLayout(row);
    plot_ = new StrengthPlot(this);
    box->addWidget(plot_, 1);
    ownCurve_ = new QPushButton(tr("Use its own curve"), this);
    ownCurve_->hide();
    ownCurve_->setObjectName("ownCurve");
    ownCurve_->setProperty("role", "link");
    ownCurve_->setToolTip(tr(
        "Rested voltages and states of charge of this battery are then read from its own curve"));
    connect(ownCurve_, &QPushButton::clicked, this, [this] {
        // For the battery that was studied, whatever is being loaded meanwhile.
        if (study_ && studied_ > 0)
            Q_EMIT ownCurveChanged(studied_, view_.ownCurveInUse || !study_->openCircuit
                                                 ? OwnCurve()
                                                 : study_->openCircuit->curve());
    });
    words_ = wordLabel(this, "pictureWords", "muted");
    auto* wordsRow = new QHBoxLayout;
    wordsRow->addWidget(words_, 1);
    wordsRow->addWidget(ownCurve_, 0, Qt::AlignTop);
    box->addLayout(wordsRow);
    resistances_ =
        table(this, "resistances", tr("Resistances by school, never averaged together"),
              {tr("School"), tr("Resistance"), tr("A cell"), tr("Conditions"), tr("From")});
    resistances_->horizontalHeader()->setSectionResizeMode(3, QHeaderView::Stretch);
    resistances_->setColumnWidth(0, 112);
    resistances_->setColumnWidth(1, 126);
    resistances_->setColumnWidth(2, 74);
    resistances_->setColumnWidth(4, 120);
    giveHabits(resistances_, "resistances");
    box->addWidget(resistances_);
    connect(pictures_, &QButtonGroup::idClicked, this, [this](int id) {
        plot_->show(static_cast<StrengthPlot::Picture>(id));
        pictures_->button(id)->setFocus();
        describePicture();
    });
    connect(reading, &QPushButton::clicked, this, &Station::resistanceReadingRequested);
    pictures_->button(0)->setChecked(true);
}

void StrengthStation::show(ShownPtr shown) {
    shown_ = std::move(shown);
    if (!shown_) {
        job_.cancel();  // a study of what was shown before
        title_->setText({});
        plot_->setStudy(nullptr, nullptr, 0);
        return;
    }
    const QString battery = QString::fromStdString(shown_->analysis.battery.name);
    title_->setText(battery.isEmpty() ? shown_->title : tr("%1 · strength").arg(battery));
    if (!loader_) return;
    if (shown_->batteryId != studied_ || studied_ == 0) {
        // What is on screen is about another battery.
        study_.reset();
        plot_->setStudy(nullptr, nullptr, 0);
        describePicture();
    }
    struct Made {
        StudyBundle bundle;
        std::shared_ptr<const SagMap> map;
    };
    job_.start(
        [loader = loader_(), shown = shown_](std::stop_token stop,
                                             const Job::ProgressSink& progress) -> Expected<Made> {
            auto bundle = loader(shown, stop, progress);
            if (!bundle) return tl::unexpected<Error>(bundle.error());
            Made made{std::move(*bundle), nullptr};
            const StrengthStudy& study = *made.bundle.study;
            if (study.rating && !study.rating->curves.empty())
                made.map =
                    std::make_shared<const SagMap>(sagMap(*study.rating, study.battery.cells()));
            return made;
        },
        [this](const Expected<Made>& made) {
            if (made)
                take(made->bundle, made->map);
            else
                sentence_->setText(QString::fromStdString(made.error().text()));
        });
}

void StrengthStation::take(const StudyBundle& bundle, std::shared_ptr<const SagMap> map) {
    study_ = bundle.study;
    studied_ = shown_->batteryId;
    view_ = strengthView(*bundle.study, shown_->id, bundle.spots);
    sentence_->setText(view_.sentence);
    conditions_->setText(view_.conditions);
    conditions_->setVisible(!view_.conditions.isEmpty());
    rating_->setRowCount(static_cast<int>(view_.rating.size()));
    for (int r = 0; r < rating_->rowCount(); ++r) {
        const RatingRow& row = view_.rating[static_cast<std::size_t>(r)];
        setRow(rating_, r, {row.view, row.current, row.rate, row.note}, row.tip, row.binds);
    }
    rating_->setVisible(rating_->rowCount() > 0);
    fitHeight(rating_, 1, 5);
    resistances_->setRowCount(static_cast<int>(view_.resistances.size()));
    for (int r = 0; r < resistances_->rowCount(); ++r) {
        const ResistanceRow& row = view_.resistances[static_cast<std::size_t>(r)];
        setRow(resistances_, r, {row.school, row.value, row.perCell, row.conditions, row.from}, {},
               false);
    }
    resistances_->setVisible(resistances_->rowCount() > 0);
    fitHeight(resistances_, 1, 5);
    plot_->setStudy(bundle.study, std::move(map), shown_->id);
    describePicture();
}

void StrengthStation::describePicture() {
    QString words;
    switch (static_cast<StrengthPlot::Picture>(pictures_->checkedId())) {
        case StrengthPlot::Picture::OverCharge:
            words = tr(
                "Delays are schools of their own: a longer one counts more of the slow processes.");
            break;
        case StrengthPlot::Picture::OverTemperature:
            words = view_.law;
            break;
        case StrengthPlot::Picture::SagMap:
            words = tr(
                "Dark: the loaded voltage is high; tinted: under the floor. Lines are the measured "
                "discharges; pale areas are extrapolated.");
            break;
        case StrengthPlot::Picture::Heat:
            words =
                tr("What the heat fit leaves over. A trend in it means that resistance or cooling "
                   "changed on the way.");
            break;
        case StrengthPlot::Picture::Cells:
            words = view_.cells;
            break;
        case StrengthPlot::Picture::OpenCircuit:
            words = view_.openCircuit;
            break;
    }
    const bool curve =
        pictures_->checkedId() == static_cast<int>(StrengthPlot::Picture::OpenCircuit);
    ownCurve_->setVisible(curve && study_ && (view_.ownCurveInUse || study_->openCircuit));
    ownCurve_->setText(view_.ownCurveInUse ? tr("Back to the usual curve")
                                           : tr("Use its own curve"));
    words_->setText(words);
}

QWidget* StrengthStation::firstFocus() {
    return pictures_->checkedButton();
}

void StrengthStation::applyColours() {
    plot_->applyColours();
}

}  // namespace nk
