#include "app/plan/plan_station.h"

#include <QBuffer>
#include <QButtonGroup>
#include <QCheckBox>
#include <QComboBox>
#include <QDateTimeEdit>
#include <QDoubleSpinBox>
#include <QFileInfo>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPdfWriter>
#include <QPushButton>
#include <QScrollArea>
#include <QSpinBox>
#include <QTextDocument>
#include <QVBoxLayout>
#include <algorithm>
#include <chrono>
#include <cmath>

#include "app/plan/expected_curve.h"
#include "app/plan/queue_bars.h"
#include "app/session/text.h"
#include "app/shell/data_export.h"
#include "app/theme/theme.h"
#include "formats/bytes.h"
#include "history/open_recording.h"
#include "history/plan_files.h"
#include "quantity/format.h"
#include "quantity/phrase.h"
#include "report/plan_json.h"

namespace nk {

namespace {

QLabel* words(QWidget* parent, const char* name, const char* role) {
    auto* label = new QLabel(parent);
    label->setObjectName(name);
    label->setTextFormat(Qt::PlainText);
    label->setWordWrap(true);
    label->setAlignment(Qt::AlignTop);
    label->setTextInteractionFlags(Qt::TextSelectableByMouse);
    if (*role != 0) label->setProperty("role", role);
    return label;
}

double asLocal_s(const QDateTime& at) {
    return static_cast<double>(QDateTime(at.date(), at.time(), Qt::UTC).toSecsSinceEpoch());
}

int minutesOf(const QTimeEdit* edit) {
    return QTime(0, 0).secsTo(edit->time()) / 60;
}

}  // namespace

PlanStation::PlanStation(Session& session, QWidget* parent) : Station(parent), session_(session) {
    setObjectName("planStation");
    chargers_ = genericChargers();
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(10, 9, 8, 8);
    outer->setSpacing(6);
    auto* asks = new QHBoxLayout;
    asks->setSpacing(4);
    questions_ = new QButtonGroup(this);
    const QString names[] = {tr("charge it"),        tr("bring it back to life"),
                             tr("put it away"),      tr("ready by …"),
                             tr("join in parallel"), tr("many modules, few chargers")};
    for (int k = 0; k < 6; ++k) {
        auto* b = new QPushButton(names[k], this);
        b->setObjectName(QString("ask-%1").arg(k));
        b->setCheckable(true);
        b->setProperty("role", "choice");
        QFont bold = font();
        bold.setWeight(QFont::DemiBold);
        b->setMinimumWidth(QFontMetrics(bold).horizontalAdvance(names[k]) + 26);
        questions_->addButton(b, k);
        asks->addWidget(b);
    }
    asks->addStretch(1);
    outer->addLayout(asks);

    form_ = new QWidget(this);
    auto* grid = new QGridLayout(form_);
    grid->setContentsMargins(0, 2, 0, 2);
    grid->setHorizontalSpacing(6);
    grid->setVerticalSpacing(4);
    const auto field = [&](const QString& label, QWidget* edit, const char* name) {
        auto* l = new QLabel(label, form_);
        l->setProperty("role", "muted");
        l->setBuddy(edit);
        edit->setObjectName(name);
        edit->setAccessibleName(label);
        edit->setProperty("role", "compact");
        fields_.emplace_back(l, edit);
    };
    const QString narrow = QString(QChar(0x202F));
    const auto change = [this] { answer(); };
    chemistry_ = new QComboBox(form_);
    for (const Chemistry& c : chemistries())
        chemistry_->addItem(QString::fromStdString(c.label), QString::fromStdString(c.id));
    connect(chemistry_, &QComboBox::currentIndexChanged, this, change);
    const auto whole = [&](int low, int high, int value, const QString& suffix) {
        auto* s = new QSpinBox(form_);
        s->setRange(low, high);
        s->setValue(value);
        s->setSuffix(suffix);
        s->setKeyboardTracking(false);
        connect(s, &QSpinBox::valueChanged, this, change);
        return s;
    };
    const auto decimal = [&](double low, double high, double value, double step, int digits,
                             const QString& suffix) {
        auto* s = new QDoubleSpinBox(form_);
        s->setRange(low, high);
        s->setDecimals(digits);
        s->setSingleStep(step);
        s->setValue(value);
        s->setSuffix(suffix);
        s->setKeyboardTracking(false);
        connect(s, &QDoubleSpinBox::valueChanged, this, change);
        return s;
    };
    field(tr("Chemistry"), chemistry_, "planChemistry");
    series_ = whole(1, 400, 3, {});
    field(tr("Cells in series"), series_, "planSeries");
    rated_ = decimal(0.01, 10000, 5, 0.5, 2, narrow + "Ah");
    field(tr("Rated"), rated_, "planRated");
    charger_ = new QComboBox(form_);
    connect(charger_, &QComboBox::currentIndexChanged, this, change);
    field(tr("Charger"), charger_, "planCharger");
    rate_ = decimal(0, 10, 0, 0.1, 2, narrow + "C");
    rate_->setSpecialValueText(tr("kind"));
    field(tr("Rate"), rate_, "planRate");
    target_ = decimal(0, 5, 0, 0.01, 2, narrow + "V");
    target_->setSpecialValueText(tr("usual"));
    field(tr("Volts a cell"), target_, "planTarget");
    from_ = whole(-1, 100, -1, narrow + "%");
    from_->setSpecialValueText(tr("not known"));
    field(tr("Level before"), from_, "planFrom");
    warmth_ = whole(-30, 60, 20, narrow + "°C");
    field(tr("Warmth"), warmth_, "planWarmth");
    program_ = new QComboBox(form_);
    program_->addItems({tr("recondition"), tr("break in")});
    connect(program_, &QComboBox::currentIndexChanged, this, change);
    field(tr("Program"), program_, "planProgram");
    cycles_ = whole(1, 20, 3, {});
    field(tr("Cycles"), cycles_, "planCycles");
    ready_ = new QDateTimeEdit(QDateTime(QDate::currentDate().addDays(1), QTime(18, 0)), form_);
    ready_->setDisplayFormat("yyyy-MM-dd HH:mm");
    ready_->setKeyboardTracking(false);
    connect(ready_, &QDateTimeEdit::dateTimeChanged, this, change);
    field(tr("Ready by"), ready_, "planReady");
    const auto hour = [&](int h, const char* name, const QString& label) {
        auto* e = new QTimeEdit(QTime(h, h == 22 ? 30 : 0), form_);
        e->setDisplayFormat("HH:mm");
        e->setButtonSymbols(QAbstractSpinBox::NoButtons);
        e->setKeyboardTracking(false);
        connect(e, &QTimeEdit::timeChanged, this, change);
        field(label, e, name);
        return e;
    };
    presentFrom_ = hour(7, "planPresentFrom", tr("Somebody there from"));
    presentTo_ = hour(22, "planPresentTo", tr("to"));
    for (const int column : {1, 3, 5, 7}) grid->setColumnStretch(column, 1);
    outer->addWidget(form_);
    auto* more = new QHBoxLayout;
    beyond_ = new QCheckBox(tr("Beyond the usual current: the maker's data sheet allows it"), this);
    beyond_->setObjectName("planBeyond");
    connect(beyond_, &QCheckBox::toggled, this, change);
    unattended_ = new QCheckBox(tr("Charges may run while nobody is there: my word for it"), this);
    unattended_->setObjectName("planUnattended");
    connect(unattended_, &QCheckBox::toggled, this, change);
    openFile_ = new QPushButton(this);
    openFile_->setObjectName("planOpen");
    openChargers_ = new QPushButton(tr("Chargers from a file…"), this);
    openChargers_->setObjectName("planChargers");
    calendar_ = new QPushButton(tr("As a calendar…"), this);
    calendar_->setObjectName("planCalendar");
    save_ = new QPushButton(tr("Bench card…"), this);
    save_->setObjectName("planSave");
    save_->setToolTip(tr("The card as a PDF to print"));
    more->addWidget(beyond_);
    more->addWidget(unattended_);
    more->addWidget(openFile_);
    more->addStretch(1);
    more->addWidget(openChargers_);
    more->addWidget(calendar_);
    more->addWidget(save_);
    outer->addLayout(more);

    auto* scroll = new QScrollArea(this);
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    auto* page = new QWidget(scroll);
    scroll->setWidget(page);
    body_ = new QVBoxLayout(page);
    body_->setContentsMargins(0, 4, 6, 4);
    body_->setSpacing(6);
    title_ = words(page, "planTitle", "heading");
    body_->addWidget(title_);
    lead_ = words(page, "planLead", "");
    body_->addWidget(lead_);
    bars_ = new QueueBars(page);
    body_->addWidget(bars_);
    curve_ = new ExpectedCurve(page);
    body_->addWidget(curve_);
    model_words_ = words(page, "planModel", "muted");
    body_->addWidget(model_words_);
    body_->addStretch(1);
    outer->addWidget(scroll, 1);

    charger_->addItem(tr("any"));
    for (const ChargerCard& c : chargers_) charger_->addItem(QString::fromStdString(c.name));
    connect(questions_, &QButtonGroup::idClicked, this,
            [this](int k) { setAsked(static_cast<Asked>(k)); });
    connect(openChargers_, &QPushButton::clicked, this, &PlanStation::openChargers);
    connect(openFile_, &QPushButton::clicked, this, [this] {
        if (asked_ == Asked::Join)
            openPacks();
        else
            openModules();
    });
    connect(save_, &QPushButton::clicked, this, &PlanStation::saveCard);
    connect(calendar_, &QPushButton::clicked, this, &PlanStation::saveCalendar);
    connect(&job_, &Job::failed, this, [this](const QString& what) { session_.say(what, true); });
    setAsked(Asked::Charge);
}

QWidget* PlanStation::firstFocus() {
    return questions_->button(static_cast<int>(asked_));
}

void PlanStation::show(ShownPtr shown) {
    const RecordingEntry* entry = shown ? session_.entryOf(shown->id) : nullptr;
    const std::int64_t id = entry != nullptr ? entry->batteryId : 0;
    if (id > 0) {
        const Battery b = session_.batteryOf(id);
        filling_ = true;
        const int k = chemistry_->findData(QString::fromStdString(b.chemistry));
        if (k >= 0) chemistry_->setCurrentIndex(k);
        if (b.series > 0) series_->setValue(b.series);
        if (b.rated_Ah > 0) rated_->setValue(b.rated_Ah);
        filling_ = false;
        name_ = QString::fromStdString(b.name);
        learn(id);
    } else {
        name_ = tr("a battery");
        own_.reset();
        learnedOf_ = 0;
    }
    answer();
}

void PlanStation::learn(std::int64_t id) {
    if (learnedOf_ == id) return;
    learnedOf_ = id;
    own_.reset();
    std::vector<std::int64_t> logs;
    for (const RecordingEntry& e : session_.recordings())
        if (e.batteryId == id && logs.size() < 4) logs.push_back(e.id);
    model_.start(
        [path = session_.path(), logs, b = session_.batteryOf(id)](
            std::stop_token, const Job::ProgressSink&) -> Expected<OwnModel> {
            auto book = BenchBook::open(path, false);
            if (!book) return tl::unexpected<Error>(book.error());
            std::vector<OpenedRecording> opened;
            for (const std::int64_t log : logs)
                if (auto one = openRecording(**book, log)) opened.push_back(std::move(*one));
            std::vector<ModelLog> learned;
            for (const OpenedRecording& o : opened)
                learned.push_back({o.recording.get(), &o.analysis.steps});
            return fitOwnModel(learned, b);
        },
        [this, id](const Expected<OwnModel>& model) {
            if (id != learnedOf_) return;
            if (model) own_ = *model;
            answer();
        });
}

Battery PlanStation::battery() const {
    Battery b = learnedOf_ > 0 ? session_.batteryOf(learnedOf_) : Battery();
    b.chemistry = chemistry_->currentData().toString().toStdString();
    b.setLimits(b.limits());
    b.series = series_->value();
    b.rated_Ah = rated_->value();
    return b;
}

ChargeWish PlanStation::chargeWish() const {
    ChargeWish w;
    w.battery = battery();
    w.rate_C = rate_->value();
    w.set_V = target_->value();
    w.fromSoc = from_->value() < 0 ? -1 : from_->value() / 100.0;
    w.ambient_C = warmth_->value();
    w.beyondUsual = beyond_->isChecked();
    if (charger_->currentIndex() > 0)
        w.charger = chargers_[static_cast<std::size_t>(charger_->currentIndex() - 1)];
    if (own_ && own_->series == w.battery.series) {
        const double z = 0.5 * own_->scale_Ah;
        w.resistance_ohm = own_->r0At(z, w.ambient_C) + own_->r_ohm[0] + own_->r_ohm[1];
    }
    return w;
}

void PlanStation::setAsked(Asked asked) {
    asked_ = asked;
    questions_->button(static_cast<int>(asked))->setChecked(true);
    const auto visible = [&](QWidget* edit, bool on) {
        for (const auto& [label, field] : fields_)
            if (field == edit) {
                label->setVisible(on);
                field->setVisible(on);
            }
    };
    auto* grid = static_cast<QGridLayout*>(form_->layout());
    while (QLayoutItem* item = grid->takeAt(0)) delete item;
    const bool single = asked != Asked::Join && asked != Asked::Queue;
    for (QWidget* w :
         std::initializer_list<QWidget*>{chemistry_, series_, rated_, charger_, warmth_})
        visible(w, single);
    visible(rate_, asked == Asked::Charge || asked == Asked::ReadyBy);
    visible(target_, asked == Asked::Charge);
    visible(from_, asked == Asked::Charge || asked == Asked::Storage || asked == Asked::ReadyBy);
    visible(program_, asked == Asked::BackToLife);
    visible(cycles_, asked == Asked::BackToLife || asked == Asked::Queue);
    visible(ready_, asked == Asked::ReadyBy);
    visible(presentFrom_, asked == Asked::ReadyBy || asked == Asked::Queue);
    visible(presentTo_, asked == Asked::ReadyBy || asked == Asked::Queue);
    // Only what is asked for, without gaps.
    int place = 0;
    for (const auto& [label, field] : fields_) {
        if (field->isHidden()) continue;
        grid->addWidget(label, place / 4, place % 4 * 2);
        grid->addWidget(field, place / 4, place % 4 * 2 + 1);
        ++place;
    }
    form_->setVisible(place > 0);
    beyond_->setVisible(asked == Asked::Charge);
    unattended_->setVisible(asked == Asked::Queue);
    openFile_->setVisible(!single);
    openFile_->setText(asked == Asked::Join ? tr("A table of packs…") : tr("A table of modules…"));
    calendar_->setVisible(asked == Asked::Queue);
    answer();
}

void PlanStation::answer() {
    if (filling_ || body_ == nullptr) return;
    problem_.clear();
    card_ = {};
    queue_.reset();
    const auto take = [&](const auto& plan) {
        if (plan)
            card_ = benchCard(*plan, name_);
        else
            problem_ = text(plan.error());
    };
    ProgramWish wish;
    wish.battery = battery();
    wish.ambient_C = warmth_->value();
    wish.cycles = cycles_->value();
    wish.fromSoc = from_->value() < 0 ? -1 : from_->value() / 100.0;
    if (charger_->currentIndex() > 0)
        wish.charger = chargers_[static_cast<std::size_t>(charger_->currentIndex() - 1)];
    Presence present;
    present.from_min = minutesOf(presentFrom_);
    present.to_min = minutesOf(presentTo_);
    if (present.from_min == present.to_min) present = {};
    switch (asked_) {
        case Asked::Charge:
            take(planCharge(chargeWish()));
            break;
        case Asked::BackToLife:
            take(program_->currentIndex() == 0 ? planRecondition(wish) : planBreakIn(wish));
            break;
        case Asked::Storage:
            take(planStorage(wish));
            break;
        case Asked::ReadyBy: {
            ReadyWish ready;
            ready.charge = chargeWish();
            ready.charge.set_V = 0;
            ready.now_s = asLocal_s(QDateTime::currentDateTime());
            ready.ready_s = asLocal_s(ready_->dateTime());
            ready.present = present;
            take(planReadyBy(ready));
            break;
        }
        case Asked::Join: {
            if (packs_.empty()) {
                problem_ =
                    tr("Open a table with a pack a row: name, chemistry, series, voltage_v, "
                       "rated_ah, and resistance_ohm, charge_limit_c, soc where they are known.");
                break;
            }
            const auto joined = planJoin(packs_);
            if (joined)
                card_ = benchCard(*joined);
            else
                problem_ = text(joined.error());
            break;
        }
        case Asked::Queue: {
            if (modules_.empty()) {
                problem_ =
                    tr("Open a table with a module a row: name, chemistry, series, rated_ah, and "
                       "capacity_ah, charge_a, discharge_a where they are known.");
                break;
            }
            queueWish_ = {};
            queueWish_.modules = modules_;
            queueWish_.chargers = chargers_;
            queueWish_.cycles = cycles_->value();
            queueWish_.present = present;
            queueWish_.unattendedCharging = unattended_->isChecked();
            queueWish_.start_s = asLocal_s(QDateTime::currentDateTime());
            job_.start([asked = queueWish_](std::stop_token, const Job::ProgressSink&)
                           -> Expected<QueuePlan> { return planQueue(asked); },
                       [this](const Expected<QueuePlan>& plan) {
                           if (plan) {
                               queue_ = *plan;
                               card_ = benchCard(*plan, queueWish_);
                           } else {
                               problem_ = text(plan.error());
                           }
                           drawCard();
                       });
            break;
        }
    }
    drawCard();
}

void PlanStation::expect() {
    curve_->hide();
    model_words_->clear();
    if (asked_ != Asked::Charge || !problem_.isEmpty()) return;
    const Battery b = battery();
    if (!own_ || own_->series != b.series || b.chemistry != own_->chemistry->id) {
        model_words_->setText(
            learnedOf_ > 0 ? tr("No model of this battery could be learned from its logs yet.")
                           : tr("With logs of the battery its own model draws the curve here."));
        return;
    }
    const auto plan = planCharge(chargeWish());
    if (!plan || !std::isfinite(plan->setPerCell_V)) return;
    PredictStep step;
    step.kind = PredictStep::Kind::Charge;
    step.value = plan->effectiveCurrent_A;
    step.volts = plan->setPerCell_V;
    step.cutoff_A = plan->cutoff_A;
    PredictSetting setting;
    setting.startSoc = from_->value() < 0 ? 0 : from_->value() / 100.0;
    setting.ambient_C = warmth_->value();
    const auto told = predict(*own_, {step}, setting);
    if (!told || !std::isfinite((*told)[0].duration_s)) return;
    const PredictedStep& p = (*told)[0];
    curve_->setStep(p);
    curve_->show();
    QString line =
        tr("By its own model: %1 ± %2 to the end, %3 to the knee, %4 ± %5, up to %6 °C; it misses "
           "what it "
           "did not see by %7 mV a cell.")
            .arg(QString::fromStdString(durationText(p.duration_s)),
                 QString::fromStdString(durationText(2 * p.uncertainty_s)),
                 QString::fromStdString(std::isfinite(p.knee_s) ? durationText(p.knee_s) : "?"),
                 QString::fromStdString(shortValue(p.charge_Ah, "Ah")),
                 QString::fromStdString(shortValue(2 * p.uncertainty_Ah, "Ah")),
                 QString::fromStdString(phrase("{:.0f}", p.maxTemperature_C)),
                 QString::fromStdString(phrase("{:.0f}", 1000 * own_->leftOutRms_V)));
    if (p.extrapolated) line += " " + tr("Beyond what was ever logged:");
    for (const std::string& c : p.caveats) line += " " + QString::fromStdString(c);
    model_words_->setText(line);
}

void PlanStation::drawCard() {
    // The first five stay: title, lead, bars, curve, words of the model.
    while (body_->count() > 5) {
        QLayoutItem* item = body_->takeAt(5);
        if (item->widget() != nullptr) {
            item->widget()->hide();
            item->widget()->deleteLater();
        }
        delete item;
    }
    QWidget* page = title_->parentWidget();
    title_->setText(problem_.isEmpty() ? card_.title : tr("Not like this"));
    lead_->setText(problem_.isEmpty() ? card_.lead : problem_);
    bars_->setVisible(queue_.has_value());
    if (queue_) bars_->setPlan(*queue_, queueWish_);
    save_->setEnabled(problem_.isEmpty() && !card_.rows.empty());
    calendar_->setEnabled(queue_.has_value());
    expect();
    if (problem_.isEmpty()) {
        auto* table = new QWidget(page);
        auto* grid = new QGridLayout(table);
        grid->setContentsMargins(0, 4, 0, 4);
        grid->setHorizontalSpacing(14);
        grid->setVerticalSpacing(5);
        int row = 0;
        constexpr int kMostRows = 200;
        for (const BenchCard::Row& r : card_.rows) {
            if (row == kMostRows) break;
            QLabel* name = words(table, "cardName", "muted");
            name->setText(r.name);
            name->setWordWrap(false);
            QLabel* value = words(table, "cardValue", "");
            value->setText(r.value);
            value->setWordWrap(false);
            QFont big = font();
            big.setPixelSize(15);
            big.setWeight(QFont::DemiBold);
            value->setFont(big);
            QLabel* why = words(table, "cardWhy", "");
            why->setText(r.reason);
            grid->addWidget(name, row, 0);
            grid->addWidget(value, row, 1);
            grid->addWidget(why, row, 2);
            ++row;
        }
        grid->setColumnStretch(2, 1);
        body_->addWidget(table);
        const auto part = [&](const QString& title, const QStringList& lines, bool tick) {
            if (lines.isEmpty()) return;
            QLabel* head = words(page, "cardPart", "heading");
            head->setText(title);
            body_->addWidget(head);
            for (const QString& line : lines) {
                if (tick) {
                    auto* box = new QCheckBox(line, page);
                    box->setObjectName("preflight");
                    body_->addWidget(box);
                } else {
                    QLabel* one = words(page, "cardLine", "");
                    one->setText(line);
                    body_->addWidget(one);
                }
            }
        };
        part(tr("Before the start"), card_.preflight, true);
        part(tr("Why"), card_.reasons, false);
        part(tr("Cautions"), card_.cautions, false);
    }
    body_->addStretch(1);
}

void PlanStation::openChargers() {
    const QString file =
        session_.dialogs().openFile(this, tr("Chargers"), tr("Chargers (*.json);;All files (*)"));
    if (file.isEmpty()) return;
    const auto bytes = readFile(file.toStdString());
    if (!bytes) return session_.say(text(bytes.error()), true);
    auto read = readChargers(*bytes, file.toStdString());
    if (!read) return session_.say(text(read.error()), true);
    chargers_ = std::move(*read);
    filling_ = true;
    charger_->clear();
    charger_->addItem(tr("any"));
    for (const ChargerCard& c : chargers_) charger_->addItem(QString::fromStdString(c.name));
    filling_ = false;
    answer();
}

void PlanStation::openModules() {
    const QString file = session_.dialogs().openFile(
        this, tr("A table of modules"), tr("Tables (*.csv *.tsv *.txt);;All files (*)"));
    if (file.isEmpty()) return;
    const auto table = readPlainTableFile(file.toStdString());
    if (!table) return session_.say(text(table.error()), true);
    auto read = readQueueModules(*table);
    if (!read) return session_.say(text(read.error()), true);
    modules_ = std::move(*read);
    setAsked(Asked::Queue);
}

void PlanStation::openPacks() {
    const QString file = session_.dialogs().openFile(
        this, tr("A table of packs"), tr("Tables (*.csv *.tsv *.txt);;All files (*)"));
    if (file.isEmpty()) return;
    const auto table = readPlainTableFile(file.toStdString());
    if (!table) return session_.say(text(table.error()), true);
    auto read = readJoinPacks(*table);
    if (!read) return session_.say(text(read.error()), true);
    packs_ = std::move(*read);
    setAsked(Asked::Join);
}

void PlanStation::saveCard() {
    const QString target =
        session_.dialogs().saveAs(this, tr("Save the bench card"), tr("bench card.pdf"),
                                  tr("PDF, A6 (*.pdf);;PDF, A4 (*.pdf);;HTML (*.html)"));
    if (target.isEmpty()) return;
    QString html = benchCardHtml(card_, QLocale().toString(QDate::currentDate(), "d MMMM yyyy"));
    QByteArray bytes = html.toUtf8();
    if (target.endsWith(".pdf", Qt::CaseInsensitive)) {
        bytes.clear();
        QBuffer buffer(&bytes);
        buffer.open(QIODevice::WriteOnly);
        QPdfWriter writer(&buffer);
        const bool small = card_.rows.size() <= 12;
        writer.setPageSize(QPageSize(small ? QPageSize::A6 : QPageSize::A4));
        writer.setPageMargins(QMarginsF(8, 8, 8, 8), QPageLayout::Millimeter);
        writer.setResolution(144);
        QTextDocument document;
        QFont font(loadFonts());
        font.setPointSizeF(small ? 7 : 9);
        document.setDefaultFont(font);
        document.setHtml(html.replace("font-family:'Inter'", "font-family:'" + loadFonts() + "'"));
        document.print(&writer);
    }
    const auto done = writeWhole(target, bytes);
    session_.say(done ? tr("The bench card is in %1.").arg(target) : text(done.error()), !done);
}

void PlanStation::saveCalendar() {
    if (!queue_) return;
    const QString target = session_.dialogs().saveAs(this, tr("Save the queue as a calendar"),
                                                     tr("queue.ics"), tr("Calendar (*.ics)"));
    if (target.isEmpty()) return;
    const double now =
        std::chrono::duration<double>(std::chrono::system_clock::now().time_since_epoch()).count();
    const auto done =
        writeWhole(target, QByteArray::fromStdString(queueCalendar(*queue_, queueWish_, now)));
    session_.say(done ? tr("The queue is in %1.").arg(target) : text(done.error()), !done);
}

void PlanStation::applyColours() {
    bars_->update();
    curve_->applyColours();
}

std::vector<StationAction> PlanStation::menuActions() {
    return {{tr("Plan: chargers from a file…"), [this] { openChargers(); }},
            {tr("Plan: a table of modules…"), [this] { openModules(); }},
            {tr("Plan: a table of packs…"), [this] { openPacks(); }},
            {tr("Plan: save the bench card…"), [this] { saveCard(); }}};
}

}  // namespace nk
