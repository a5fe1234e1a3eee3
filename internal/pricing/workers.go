package pricing

import (
	"fmt"
	"runtime"
	"runtime/debug"
	"sync"
	"sync/atomic"
)

// handOut hands out 0..n-1 to as many goroutines as there are cores, at most so many. begin makes one of them ready and
// gives what does its work.
func handOut(n, most int, begin func(l *lot) (do func(k int))) {
	var next atomic.Int64
	together(min(runtime.GOMAXPROCS(0), most, n), func(int) {
		l := newLot()
		defer l.free()
		do := begin(l)
		for k := int(next.Add(1)) - 1; k < n; k = int(next.Add(1)) - 1 {
			do(k)
		}
	})
}

// InParallel cuts 0..n-1 into one piece per core.
func InParallel(n int, work func(from, to int)) {
	workers := max(1, min(runtime.GOMAXPROCS(0), n/16))
	piece := (n + workers - 1) / workers
	together(workers, func(w int) { work(min(w*piece, n), min((w+1)*piece, n)) })
}

// together works in n goroutines and waits for them. A panic in one is a panic of the caller, so that whoever answers
// for the question answers for it.
func together(n int, work func(w int)) {
	if n <= 1 {
		work(0)
		return
	}
	var wg sync.WaitGroup
	var failed atomic.Pointer[string]
	for w := range n {
		wg.Go(func() {
			defer func() {
				if r := recover(); r != nil {
					said := fmt.Sprintf("%v\n%s", r, debug.Stack())
					failed.Store(&said)
				}
			}()
			work(w)
		})
	}
	wg.Wait()
	if said := failed.Load(); said != nil {
		panic("pricing: " + *said)
	}
}
