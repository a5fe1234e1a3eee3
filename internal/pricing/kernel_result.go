package pricing

import "dogbane/internal/money"

type verdict int8

const (
	candidate verdict = iota
	noCandidate
	doesNotFit
)

// result is what a kernel makes of product i of the shard, whose price entering the rule is en/ed (ed 0: none).
func (l *lot) result(k *kernel, i int, en, ed int64) (n, d int64, is verdict) {
	bn, bd := en, ed
	if k.op == opSet {
		n, d = k.n, k.d
	} else {
		if k.of != OfEntering {
			var fits bool
			if bn, bd, fits = l.basisHere(k.of, i); !fits {
				return 0, 0, doesNotFit
			}
		}
		if bd == 0 {
			return 0, 0, noCandidate
		}
		var ok1, ok2 bool
		if k.op == opScale {
			n, ok1 = times(bn, k.n)
			d, ok2 = times(bd, k.d)
		} else {
			var ok3 bool
			d, ok3 = times(bd, k.d)
			n, ok1 = times(bn, k.d)
			shift, ok := times(max(k.n, -k.n), bd)
			if ok2 = ok && ok3 && n < 1<<62 && shift < 1<<62; k.n < 0 {
				shift = -shift
			}
			n = max(n+shift, 0)
		}
		if !ok1 || !ok2 {
			return 0, 0, doesNotFit
		}
	}
	if k.shaped {
		var fits bool
		if n, d, fits = l.shapeHere(k, i, n, d, en, ed); !fits {
			return 0, 0, doesNotFit
		}
	}
	if k.refuse && ed != 0 && below(en, ed, n, d) {
		return 0, 0, noCandidate
	}
	return n, d, candidate
}

// basisHere is the value that an effect starts from, where that is not the price entering.
func (l *lot) basisHere(of Basis, i int) (n, d int64, fits bool) {
	p := l.number(i)
	switch of {
	case OfList:
		return l.ln[i], l.ld[i], true
	case OfCatalog:
		return l.cn[i], l.cd[i], true
	case OfCost:
		return l.costHere(p)
	}
	b, reason := l.basis(&state{product: p}, of)
	if reason != "" {
		return 0, 0, true
	}
	return b.v.Parts()
}

// shapeHere is shape for a kernel.
func (l *lot) shapeHere(k *kernel, i int, n, d, en, ed int64) (int64, int64, bool) {
	if k.maxOff.kind != noBound && ed != 0 {
		ln, ok1 := times(en, k.maxOff.n)
		ld, ok2 := times(ed, k.maxOff.d)
		if k.maxOff.kind == fixedBound {
			var off int64
			var ok3 bool
			ln, ok1 = times(en, k.maxOff.d)
			off, ok3 = times(k.maxOff.n, ed)
			ok2 = ok2 && ok3
			ln -= off
		}
		if !ok1 || !ok2 {
			return 0, 0, false
		}
		if ln > 0 && below(n, d, ln, ld) {
			n, d = ln, ld
		}
	}
	if k.floor.kind != noBound {
		fn, fd := k.floor.n, k.floor.d
		if k.floor.kind == scaleBound {
			cn, cd, fits := l.costHere(l.number(i))
			if !fits {
				return 0, 0, false
			}
			var ok1, ok2 bool
			fn, ok1 = times(cn, fn)
			fd, ok2 = times(cd, fd)
			if !ok1 || !ok2 {
				return 0, 0, false
			}
		}
		if k.floor.kind == letterBound {
			fn, fd = 0, 0
			if floor := l.view.floor(&state{product: l.number(i)}, k.rule); floor.ok {
				var fits bool
				if fn, fd, fits = floor.v.Reduce().Parts(); !fits {
					return 0, 0, false
				}
			}
		}
		if fd != 0 {
			if ed != 0 && below(en, ed, fn, fd) {
				fn, fd = en, ed
			}
			if below(n, d, fn, fd) {
				n, d = fn, fd
			}
		}
	}
	ok := true
	if k.ending != nil {
		if n, d, ok = k.ending.apply(n, d); !ok {
			return 0, 0, false
		}
	}
	if r := l.settings.Rounding; r.EveryStep {
		n, ok = money.RoundRatio(n, d, l.digits, r.Mode)
		d = l.plan.minorUnits
	}
	return n, d, ok
}
