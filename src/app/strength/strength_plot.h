// The pictures of the Strength station: resistance over charge and over temperature, sag map, heat
// residuals, cells.
#pragma once

#include <qcustomplot.h>

#include "analysis/rating/sag_map.h"
#include "analysis/rating/strength_study.h"

namespace nk {

class StrengthPlot : public QCustomPlot {
    Q_OBJECT
  public:
    enum class Picture { OverCharge, OverTemperature, SagMap, Heat, Cells, OpenCircuit };
    explicit StrengthPlot(QWidget* parent = nullptr);

    /// `map`: made of the study's rating, in a worker; null: it has none.
    void setStudy(std::shared_ptr<const StrengthStudy> study, std::shared_ptr<const SagMap> map,
                  std::int64_t shown);
    void show(Picture picture);
    void applyColours();
    /// Nothing to draw: the words why.
    bool empty() const { return empty_; }

  private:
    void redraw();
    void overCharge();
    void overTemperature();
    void sagMap();
    void heat();
    void cells();
    void openCircuit();
    void nothing(const QString& why);
    QCPGraph* points(const QColor& colour, QCPScatterStyle::ScatterShape shape, bool filled,
                     const QString& name);
    void labels(const QString& x, const QString& y);

    std::shared_ptr<const StrengthStudy> study_;
    std::shared_ptr<const SagMap> map_;
    std::int64_t shown_ = 0;
    Picture picture_ = Picture::OverCharge;
    bool empty_ = true;
};

}  // namespace nk
