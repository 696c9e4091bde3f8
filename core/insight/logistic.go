package insight

import (
	"errors"
	"math"

	"gonum.org/v1/gonum/mat"
)

// Logistic is a logistic regression: the log odds of winning are Intercept + Σ Coefficients·x.
type Logistic struct {
	Intercept    float64
	Coefficients []float64
}

// errFit says that a fit did not come to an end; with a penalty above 0 it always does.
var errFit = errors.New("the fit of the logistic regression does not converge")

// Steps and change at which a fit ends.
const (
	fitSteps   = 100
	fitChange  = 1e-10
	fitHalving = 30
)

// FitLogistic fits a logistic regression by Newton's method with step halving. penalty is that of a ridge on the
// coefficients, not on the intercept: it keeps separation and rare answers from running off to infinity (S. le Cessie, J.
// C. van Houwelingen, Ridge estimators in logistic regression, Appl. Statist. 41, 1992). Without a penalty it is the
// maximum likelihood fit.
func FitLogistic(x [][]float64, won []bool, penalty float64) (*Logistic, error) {
	if len(x) == 0 {
		return nil, errFit
	}
	k := len(x[0]) + 1
	beta := mat.NewVecDense(k, nil)
	value := penalised(x, won, beta, penalty)
	for range fitSteps {
		gradient, hessian := slopes(x, won, beta, penalty)
		var cholesky mat.Cholesky
		if !cholesky.Factorize(hessian) {
			return nil, errFit
		}
		var step mat.VecDense
		if err := cholesky.SolveVecTo(&step, gradient); err != nil {
			return nil, errFit
		}
		next := mat.NewVecDense(k, nil)
		scale, better := 1.0, false
		for range fitHalving {
			next.AddScaledVec(beta, scale, &step)
			if v := penalised(x, won, next, penalty); v >= value {
				value, better = v, true
				break
			}
			scale /= 2
		}
		if !better || scale*mat.Norm(&step, math.Inf(1)) < fitChange {
			if better {
				beta = next
			}
			return logisticOf(beta), nil
		}
		beta = next
	}
	return nil, errFit
}

func logisticOf(beta *mat.VecDense) *Logistic {
	l := &Logistic{Intercept: beta.AtVec(0)}
	for i := 1; i < beta.Len(); i++ {
		l.Coefficients = append(l.Coefficients, beta.AtVec(i))
	}
	return l
}

// LogOdds are those of winning.
func (l *Logistic) LogOdds(x []float64) float64 {
	sum := l.Intercept
	for i, v := range x {
		sum += l.Coefficients[i] * v
	}
	return sum
}

func linear(x []float64, beta *mat.VecDense) float64 {
	sum := beta.AtVec(0)
	for i, v := range x {
		sum += beta.AtVec(i+1) * v
	}
	return sum
}

// penalised is the log likelihood less the penalty.
func penalised(x [][]float64, won []bool, beta *mat.VecDense, penalty float64) float64 {
	sum := 0.0
	for r := range x {
		eta := linear(x[r], beta)
		if won[r] {
			eta = -eta
		}
		sum -= math.Max(eta, 0) + math.Log1p(math.Exp(-math.Abs(eta)))
	}
	for i := 1; i < beta.Len(); i++ {
		sum -= penalty / 2 * beta.AtVec(i) * beta.AtVec(i)
	}
	return sum
}

// slopes are the gradient of penalised and its negative second derivatives.
func slopes(x [][]float64, won []bool, beta *mat.VecDense, penalty float64) (*mat.VecDense, *mat.SymDense) {
	k := beta.Len()
	gradient, hessian := mat.NewVecDense(k, nil), mat.NewSymDense(k, nil)
	row := make([]float64, k)
	row[0] = 1
	for r := range x {
		copy(row[1:], x[r])
		p := 1 / (1 + math.Exp(-linear(x[r], beta)))
		miss := -p
		if won[r] {
			miss = 1 - p
		}
		w := math.Max(p*(1-p), 1e-12)
		for i := range k {
			if row[i] == 0 {
				continue
			}
			gradient.SetVec(i, gradient.AtVec(i)+miss*row[i])
			for j := i; j < k; j++ {
				if row[j] != 0 {
					hessian.SetSym(i, j, hessian.At(i, j)+w*row[i]*row[j])
				}
			}
		}
	}
	for i := 1; i < k; i++ {
		gradient.SetVec(i, gradient.AtVec(i)-penalty*beta.AtVec(i))
		hessian.SetSym(i, i, hessian.At(i, i)+penalty)
	}
	return gradient, hessian
}
