;; What cross-tabulations do by the million, in one memory. Addresses and lengths are in bytes; rows of
;; sets, and cells' sets, are multiples of 16. cells-wasm.ts holds this file assembled: node scripts/assemble.mjs
(module
  (import "cells" "memory" (memory 0))

  ;; Notes each number of a list behind those noted, unless its byte says it is there already; the new end of those noted.
  (func (export "note") (param $from i32) (param $to i32) (param $end i32) (param $there i32) (result i32)
    (local $number i32)
    (local $byte i32)
    (loop $next
      (local.set $number (i32.load (local.get $from)))
      (local.set $byte (i32.add (local.get $there) (local.get $number)))
      ;; written over by the next one where it was there
      (i32.store (local.get $end) (local.get $number))
      (local.set $end (i32.add (local.get $end)
        (i32.shl (i32.sub (i32.const 1) (i32.load8_u (local.get $byte))) (i32.const 2))))
      (i32.store8 (local.get $byte) (i32.const 1))
      (local.set $from (i32.add (local.get $from) (i32.const 4)))
      (br_if $next (i32.lt_u (local.get $from) (local.get $to))))
    (local.get $end))

  ;; Forgets the numbers of a list.
  (func (export "forget") (param $from i32) (param $to i32) (param $there i32)
    (loop $next
      (i32.store8 (i32.add (local.get $there) (i32.load (local.get $from))) (i32.const 0))
      (local.set $from (i32.add (local.get $from) (i32.const 4)))
      (br_if $next (i32.lt_u (local.get $from) (local.get $to)))))

  ;; Adds to the 64-bit number at each place that a list numbers.
  (func (export "raise") (param $from i32) (param $to i32) (param $into i32) (param $by f64)
    (local $at i32)
    (loop $next
      (local.set $at (i32.add (local.get $into) (i32.shl (i32.load (local.get $from)) (i32.const 3))))
      (f64.store (local.get $at) (f64.add (f64.load (local.get $at)) (local.get $by)))
      (local.set $from (i32.add (local.get $from) (i32.const 4)))
      (br_if $next (i32.lt_u (local.get $from) (local.get $to)))))

  ;; Joins what is behind places, so many words each, to rows: once from each bit on that the combination of the
  ;; same turn lists. Combinations, places and rows are told by lists; the rows by one number with a step of 0.
  (func (export "join") (param $combos i32) (param $end i32) (param $places i32) (param $rows i32) (param $step i32) (param $behind i32) (param $words i32) (param $starts i32) (param $bits i32) (param $table i32) (param $stride i32)
    (local $combo i32)
    (local $base i32)
    (local $word i32)
    (local $last i32)
    (local $bit i32)
    (local $bitsEnd i32)
    (local $shift i32)
    (local $at i32)
    (local $value i64)
    (local.set $words (i32.shl (local.get $words) (i32.const 2)))
    (loop $next
      (local.set $combo (i32.add (local.get $starts) (i32.shl (i32.load (local.get $combos)) (i32.const 2))))
      (local.set $bitsEnd (i32.add (local.get $bits) (i32.shl (i32.load offset=4 (local.get $combo)) (i32.const 2))))
      (local.set $base (i32.add (local.get $table) (i32.mul (i32.load (local.get $rows)) (local.get $stride))))
      (local.set $word (i32.add (local.get $behind) (i32.mul (i32.load (local.get $places)) (local.get $words))))
      (local.set $last (i32.add (local.get $word) (local.get $words)))
      (local.set $shift (i32.const 0))
      (loop $more
        (local.set $value (i64.load32_u (local.get $word)))
        (local.set $bit (i32.add (local.get $bits) (i32.shl (i32.load (local.get $combo)) (i32.const 2))))
        (if (i32.and (i64.ne (local.get $value) (i64.const 0)) (i32.lt_u (local.get $bit) (local.get $bitsEnd)))
          (then
            (loop $each
              (local.set $at (i32.add (i32.load (local.get $bit)) (local.get $shift)))
              ;; the word and the one after it, which takes what goes over
              (i64.store align=4 (i32.add (local.get $base) (i32.shl (i32.shr_u (local.get $at) (i32.const 5)) (i32.const 2)))
                (i64.or
                  (i64.load align=4 (i32.add (local.get $base) (i32.shl (i32.shr_u (local.get $at) (i32.const 5)) (i32.const 2))))
                  (i64.shl (local.get $value) (i64.extend_i32_u (i32.and (local.get $at) (i32.const 31))))))
              (local.set $bit (i32.add (local.get $bit) (i32.const 4)))
              (br_if $each (i32.lt_u (local.get $bit) (local.get $bitsEnd))))))
        (local.set $shift (i32.add (local.get $shift) (i32.const 32)))
        (local.set $word (i32.add (local.get $word) (i32.const 4)))
        (br_if $more (i32.lt_u (local.get $word) (local.get $last))))
      (local.set $rows (i32.add (local.get $rows) (local.get $step)))
      (local.set $places (i32.add (local.get $places) (i32.const 4)))
      (local.set $combos (i32.add (local.get $combos) (i32.const 4)))
      (br_if $next (i32.lt_u (local.get $combos) (local.get $end)))))

  ;; Joins what is behind places, so many words each, to what is put together for the combination of the same turn.
  (func (export "gather") (param $combos i32) (param $end i32) (param $places i32) (param $behind i32) (param $words i32) (param $together i32)
    (local $from i32)
    (local $to i32)
    (local $last i32)
    (local.set $words (i32.shl (local.get $words) (i32.const 2)))
    (loop $next
      (local.set $from (i32.add (local.get $behind) (i32.mul (i32.load (local.get $places)) (local.get $words))))
      (local.set $to (i32.add (local.get $together) (i32.mul (i32.load (local.get $combos)) (local.get $words))))
      (local.set $last (i32.add (local.get $from) (local.get $words)))
      (loop $more
        (i32.store (local.get $to) (i32.or (i32.load (local.get $to)) (i32.load (local.get $from))))
        (local.set $to (i32.add (local.get $to) (i32.const 4)))
        (local.set $from (i32.add (local.get $from) (i32.const 4)))
        (br_if $more (i32.lt_u (local.get $from) (local.get $last))))
      (local.set $places (i32.add (local.get $places) (i32.const 4)))
      (local.set $combos (i32.add (local.get $combos) (i32.const 4)))
      (br_if $next (i32.lt_u (local.get $combos) (local.get $end)))))

  ;; Lists how far from a row's start there is something, sixteen bytes each; the end of the list.
  (func (export "look") (param $row i32) (param $stride i32) (param $parts i32) (result i32)
    (local $at i32)
    (loop $next
      (i32.store (local.get $parts) (local.get $at))
      (local.set $parts
        (i32.add (local.get $parts)
          (i32.shl (v128.any_true (v128.load (i32.add (local.get $row) (local.get $at)))) (i32.const 2))))
      (local.set $at (i32.add (local.get $at) (i32.const 16)))
      (br_if $next (i32.lt_u (local.get $at) (local.get $stride))))
    (local.get $parts))

  ;; Joins a row to those that a list numbers, if they are in a set, at the distances from its start that another lists.
  (func (export "give") (param $row i32) (param $parts i32) (param $partsEnd i32) (param $list i32) (param $listEnd i32) (param $set i32) (param $table i32) (param $stride i32)
    (local $to i32)
    (local $base i32)
    (local $part i32)
    (local $at i32)
    (loop $next
      (local.set $to (i32.load (local.get $list)))
      (if (i32.and (i32.const 1)
            (i32.shr_u
              (i32.load (i32.add (local.get $set) (i32.shl (i32.shr_u (local.get $to) (i32.const 5)) (i32.const 2))))
              (local.get $to)))
        (then
          (local.set $base (i32.add (local.get $table) (i32.mul (local.get $to) (local.get $stride))))
          (local.set $part (local.get $parts))
          (loop $more
            (local.set $at (i32.add (local.get $base) (i32.load (local.get $part))))
            (v128.store (local.get $at)
              (v128.or (v128.load (local.get $at)) (v128.load (i32.add (local.get $row) (i32.load (local.get $part))))))
            (local.set $part (i32.add (local.get $part) (i32.const 4)))
            (br_if $more (i32.lt_u (local.get $part) (local.get $partsEnd))))))
      (local.set $list (i32.add (local.get $list) (i32.const 4)))
      (br_if $next (i32.lt_u (local.get $list) (local.get $listEnd)))))

  ;; Turns 128 rows of bits into a set of 128 for each bit, kept where a list says that bit's cell is. Four words of 32
  ;; rows are turned at once, in 512 bytes at $square (Warren, Hacker's Delight, 7-3). Whether there was any bit.
  (func (export "turn") (param $rows i32) (param $stride i32) (param $cellOf i32) (param $here i32) (param $square i32) (result i32)
    (local $word i32)
    (local $quarter i32)
    (local $row i32)
    (local $k i32)
    (local $j i32)
    (local $at i32)
    (local $cell i32)
    (local $found i32)
    (local $mask v128)
    (local $a v128)
    (local $b v128)
    (local $any v128)
    (loop $quarters
      (local.set $word (i32.const 0))
      (loop $words
        (local.set $any (v128.const i32x4 0 0 0 0))
        (local.set $row (i32.add (local.get $rows) (local.get $word)))
        (local.set $k (i32.const 0))
        (loop $load
          (local.set $a (v128.load (local.get $row)))
          (v128.store (i32.add (local.get $square) (local.get $k)) (local.get $a))
          (local.set $any (v128.or (local.get $any) (local.get $a)))
          (local.set $row (i32.add (local.get $row) (local.get $stride)))
          (local.set $k (i32.add (local.get $k) (i32.const 16)))
          (br_if $load (i32.lt_u (local.get $k) (i32.const 512))))
        (if (v128.any_true (local.get $any))
          (then
            (local.set $found (i32.const 1))
            (local.set $j (i32.const 16))
            (local.set $mask (v128.const i32x4 0xffff 0xffff 0xffff 0xffff))
            (loop $halve
              (local.set $k (i32.const 0))
              (loop $pair
                (local.set $at (i32.add (local.get $square) (i32.shl (local.get $k) (i32.const 4))))
                (local.set $cell (i32.add (local.get $at) (i32.shl (local.get $j) (i32.const 4))))
                (local.set $a (v128.load (local.get $at)))
                (local.set $b (v128.load (local.get $cell)))
                (local.set $any
                  (v128.and
                    (v128.xor (i32x4.shr_u (local.get $a) (local.get $j)) (local.get $b))
                    (local.get $mask)))
                (v128.store (local.get $at) (v128.xor (local.get $a) (i32x4.shl (local.get $any) (local.get $j))))
                (v128.store (local.get $cell) (v128.xor (local.get $b) (local.get $any)))
                (local.set $k
                  (i32.and
                    (i32.add (i32.add (local.get $k) (local.get $j)) (i32.const 1))
                    (i32.xor (local.get $j) (i32.const -1))))
                (br_if $pair (i32.lt_u (local.get $k) (i32.const 32))))
              (local.set $j (i32.shr_u (local.get $j) (i32.const 1)))
              (local.set $mask (v128.xor (local.get $mask) (i32x4.shl (local.get $mask) (local.get $j))))
              (br_if $halve (local.get $j)))
            ;; bit k of words 0 to 3: the cells of bits k, 32 + k, 64 + k and 96 + k of these 128
            (local.set $k (i32.const 0))
            (loop $keep
              (local.set $a (v128.load (i32.add (local.get $square) (i32.shl (local.get $k) (i32.const 2)))))
              (if (v128.any_true (local.get $a))
                (then
                  (local.set $cell
                    (i32.add (i32.add (local.get $cellOf) (i32.shl (local.get $word) (i32.const 5))) (local.get $k)))
                  (v128.store32_lane 0 (i32.add (local.get $here) (i32.load (local.get $cell))) (local.get $a))
                  (v128.store32_lane 1 (i32.add (local.get $here) (i32.load offset=128 (local.get $cell))) (local.get $a))
                  (v128.store32_lane 2 (i32.add (local.get $here) (i32.load offset=256 (local.get $cell))) (local.get $a))
                  (v128.store32_lane 3 (i32.add (local.get $here) (i32.load offset=384 (local.get $cell))) (local.get $a))))
              (local.set $k (i32.add (local.get $k) (i32.const 4)))
              (br_if $keep (i32.lt_u (local.get $k) (i32.const 128))))))
        (local.set $word (i32.add (local.get $word) (i32.const 16)))
        (br_if $words (i32.lt_u (local.get $word) (local.get $stride))))
      (local.set $rows (i32.add (local.get $rows) (i32.shl (local.get $stride) (i32.const 5))))
      (local.set $here (i32.add (local.get $here) (i32.const 4)))
      (local.set $quarter (i32.add (local.get $quarter) (i32.const 1)))
      (br_if $quarters (i32.lt_u (local.get $quarter) (i32.const 4))))
    (local.get $found))

  ;; The total over a dimension of so many values, a stride apart: all their sets together, for all the cells there are.
  (func (export "total") (param $here i32) (param $end i32) (param $size i32) (param $stride i32)
    (local $from i32)
    (local $at i32)
    (local $left i32)
    (local $all v128)
    (loop $blocks
      (local.set $from (local.get $here))
      (local.set $here (i32.add (local.get $here) (local.get $stride)))
      (loop $next
        (local.set $all (v128.const i32x4 0 0 0 0))
        (local.set $at (local.get $from))
        (local.set $left (local.get $size))
        (loop $values
          (if (local.get $left)
            (then
              (local.set $all (v128.or (local.get $all) (v128.load (local.get $at))))
              (local.set $at (i32.add (local.get $at) (local.get $stride)))
              (local.set $left (i32.sub (local.get $left) (i32.const 1)))
              (br $values))))
        (v128.store (local.get $at) (local.get $all))
        (local.set $from (i32.add (local.get $from) (i32.const 16)))
        (br_if $next (i32.lt_u (local.get $from) (local.get $here))))
      (local.set $here (i32.add (local.get $at) (i32.const 16)))
      (br_if $blocks (i32.lt_u (local.get $here) (local.get $end)))))

  ;; Adds how many are in each cell's set to the 32-bit number of the cell, and empties the set.
  (func (export "count") (param $here i32) (param $end i32) (param $counts i32)
    (local $set v128)
    (loop $next
      (local.set $set (v128.load (local.get $here)))
      (if (v128.any_true (local.get $set))
        (then
          (v128.store (local.get $here) (v128.const i32x4 0 0 0 0))
          (local.set $set
            (i32x4.extadd_pairwise_i16x8_u (i16x8.extadd_pairwise_i8x16_u (i8x16.popcnt (local.get $set)))))
          (i32.store (local.get $counts)
            (i32.add (i32.load (local.get $counts))
              (i32.add
                (i32.add (i32x4.extract_lane 0 (local.get $set)) (i32x4.extract_lane 1 (local.get $set)))
                (i32.add (i32x4.extract_lane 2 (local.get $set)) (i32x4.extract_lane 3 (local.get $set))))))))
      (local.set $counts (i32.add (local.get $counts) (i32.const 4)))
      (local.set $here (i32.add (local.get $here) (i32.const 16)))
      (br_if $next (i32.lt_u (local.get $here) (local.get $end))))))
