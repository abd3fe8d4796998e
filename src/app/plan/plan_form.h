// The few figures that a question of the planner needs: only those of the question are shown.
#pragma once

#include <QWidget>
#include <vector>

#include "history/ready_rule.h"
#include "planning/charger_task.h"
#include "planning/program.h"
#include "planning/queue.h"

class QCheckBox;
class QComboBox;
class QDateTimeEdit;
class QDoubleSpinBox;
class QLineEdit;
class QSpinBox;
class QTimeEdit;

namespace nk {

class FieldGrid;
class QuantityField;

/// The questions, in the order of their buttons.
enum class PlanAsked { Charge, BackToLife, Storage, ReadyBy, Join, Queue, WhatIf };

class PlanForm : public QWidget {
    Q_OBJECT
  public:
    enum class Back { Recondition, BreakIn, Capacity };

    explicit PlanForm(QWidget* parent = nullptr);
    void setAsked(PlanAsked asked);
    /// Fills chemistry, series count and rating, without a signal.
    /// `another`: not the one that was there; nothing that was typed for that one is kept.
    void setBattery(const Battery& battery, bool another);
    void setChargers(std::vector<ChargerCard> chargers);
    const std::vector<ChargerCard>& chargers() const { return chargers_; }
    void setBack(Back back);
    /// Shows the tick by which a person stands by a rating that is doubted.
    void askRating(bool doubted);
    /// The figures of a queue that is under way.
    void setQueue(const QueueWish& wish);

    /// `base`: what is known of the battery beside the figures of the form.
    Battery battery(Battery base) const;
    /// Today's capacity as the book knows it, Ah: what counts where none is typed; 0: none.
    void setKnown(double capacity_Ah);
    ChargeWish chargeWish(const Battery& base) const;
    ProgramWish programWish(const Battery& base) const;
    Back back() const;
    Presence present() const;
    double ready_s() const;  ///< since 1970, as local time
    int cycles() const;
    bool unattended() const;
    double fromSoc() const;  ///< under 0: not known
    double warmth_C() const;
    std::array<bool, 7> weekdays() const;
    void setReady(const ReadyRule& rule);
    double rate_C() const;
    bool anyCharger() const;
    QString chargerName() const;

  Q_SIGNALS:
    void changed();

  private:
    void countC();
    std::vector<ChargerCard> chargers_;
    bool filling_ = false;
    FieldGrid* grid_ = nullptr;
    QComboBox* chemistry_ = nullptr;
    QSpinBox* series_ = nullptr;
    QuantityField* rated_ = nullptr;
    QComboBox* charger_ = nullptr;
    QuantityField* rate_ = nullptr;
    QDoubleSpinBox* target_ = nullptr;
    QLineEdit* rested_ = nullptr;
    double known_Ah_ = 0;
    QSpinBox* from_ = nullptr;
    QSpinBox* warmth_ = nullptr;
    QSpinBox* field_ = nullptr;
    QCheckBox* beyond_ = nullptr;
    QCheckBox* ratingIsRight_ = nullptr;
    QuantityField* today_ = nullptr;
    QComboBox* program_ = nullptr;
    QSpinBox* cycles_ = nullptr;
    QDateTimeEdit* ready_ = nullptr;
    QTimeEdit* presentFrom_ = nullptr;
    QTimeEdit* presentTo_ = nullptr;
    QCheckBox* unattended_ = nullptr;
    QWidget* week_ = nullptr;
    std::vector<QCheckBox*> days_;
};

}  // namespace nk
