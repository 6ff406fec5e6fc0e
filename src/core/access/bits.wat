;; Sets of whole numbers in one memory, sixteen bytes at a time. Addresses and lengths are in bytes,
;; multiples of 64. bits-wasm.ts holds this file assembled: node scripts/assemble.mjs
(module
  (import "sets" "memory" (memory 0))

  ;; into |= a
  (func (export "or1") (param $into i32) (param $a i32) (param $length i32)
    (local $end i32)
    (local.set $end (i32.add (local.get $into) (local.get $length)))
    (loop $next
      (v128.store (local.get $into)
        (v128.or (v128.load (local.get $into)) (v128.load (local.get $a))))
      (local.set $a (i32.add (local.get $a) (i32.const 16)))
      (local.set $into (i32.add (local.get $into) (i32.const 16)))
      (br_if $next (i32.lt_u (local.get $into) (local.get $end)))))

  ;; into |= a | b | c | d
  (func (export "or4") (param $into i32) (param $a i32) (param $b i32) (param $c i32) (param $d i32) (param $length i32)
    (local $at i32)
    (loop $next
      (v128.store (i32.add (local.get $into) (local.get $at))
        (v128.or
          (v128.load (i32.add (local.get $into) (local.get $at)))
          (v128.or
            (v128.or
              (v128.load (i32.add (local.get $a) (local.get $at)))
              (v128.load (i32.add (local.get $b) (local.get $at))))
            (v128.or
              (v128.load (i32.add (local.get $c) (local.get $at)))
              (v128.load (i32.add (local.get $d) (local.get $at)))))))
      (local.set $at (i32.add (local.get $at) (i32.const 16)))
      (br_if $next (i32.lt_u (local.get $at) (local.get $length)))))

  ;; into &= a
  (func (export "and1") (param $into i32) (param $a i32) (param $length i32)
    (local $end i32)
    (local.set $end (i32.add (local.get $into) (local.get $length)))
    (loop $next
      (v128.store (local.get $into)
        (v128.and (v128.load (local.get $into)) (v128.load (local.get $a))))
      (local.set $a (i32.add (local.get $a) (i32.const 16)))
      (local.set $into (i32.add (local.get $into) (i32.const 16)))
      (br_if $next (i32.lt_u (local.get $into) (local.get $end)))))

  ;; how many bits are set in a & b; four counts of at most eight each fit a byte
  (func (export "countBoth") (param $a i32) (param $b i32) (param $length i32) (result i32)
    (local $end i32)
    (local $sum v128)
    (local.set $end (i32.add (local.get $a) (local.get $length)))
    (loop $next
      (local.set $sum
        (i32x4.add (local.get $sum)
          (i32x4.extadd_pairwise_i16x8_u
            (i16x8.extadd_pairwise_i8x16_u
              (i8x16.add
                (i8x16.add
                  (i8x16.popcnt (v128.and (v128.load (local.get $a)) (v128.load (local.get $b))))
                  (i8x16.popcnt (v128.and (v128.load offset=16 (local.get $a)) (v128.load offset=16 (local.get $b)))))
                (i8x16.add
                  (i8x16.popcnt (v128.and (v128.load offset=32 (local.get $a)) (v128.load offset=32 (local.get $b))))
                  (i8x16.popcnt (v128.and (v128.load offset=48 (local.get $a)) (v128.load offset=48 (local.get $b))))))))))
      (local.set $b (i32.add (local.get $b) (i32.const 64)))
      (local.set $a (i32.add (local.get $a) (i32.const 64)))
      (br_if $next (i32.lt_u (local.get $a) (local.get $end))))
    (i32.add
      (i32.add (i32x4.extract_lane 0 (local.get $sum)) (i32x4.extract_lane 1 (local.get $sum)))
      (i32.add (i32x4.extract_lane 2 (local.get $sum)) (i32x4.extract_lane 3 (local.get $sum)))))

  ;; one more for every bit that is set in a: planes hold the digits of the counts, the lowest first, each `stride` after the
  ;; one before, and what is carried goes up as far as it has to
  (func (export "count") (param $planes i32) (param $stride i32) (param $a i32) (param $length i32)
    (local $end i32)
    (local $plane i32)
    (local $carry v128)
    (local $digit v128)
    (local.set $end (i32.add (local.get $a) (local.get $length)))
    (loop $next
      (local.set $carry (v128.load (local.get $a)))
      (local.set $plane (local.get $planes))
      (block $done
        (loop $up
          (br_if $done (i32.eqz (v128.any_true (local.get $carry))))
          (local.set $digit (v128.load (local.get $plane)))
          (v128.store (local.get $plane) (v128.xor (local.get $digit) (local.get $carry)))
          (local.set $carry (v128.and (local.get $digit) (local.get $carry)))
          (local.set $plane (i32.add (local.get $plane) (local.get $stride)))
          (br $up)))
      (local.set $planes (i32.add (local.get $planes) (i32.const 16)))
      (local.set $a (i32.add (local.get $a) (i32.const 16)))
      (br_if $next (i32.lt_u (local.get $a) (local.get $end)))))

  ;; 1 where a & b holds anything
  (func (export "anyBoth") (param $a i32) (param $b i32) (param $length i32) (result i32)
    (local $end i32)
    (local.set $end (i32.add (local.get $a) (local.get $length)))
    (loop $next
      (if (v128.any_true (v128.and (v128.load (local.get $a)) (v128.load (local.get $b))))
        (then (return (i32.const 1))))
      (local.set $b (i32.add (local.get $b) (i32.const 16)))
      (local.set $a (i32.add (local.get $a) (i32.const 16)))
      (br_if $next (i32.lt_u (local.get $a) (local.get $end))))
    (i32.const 0)))
