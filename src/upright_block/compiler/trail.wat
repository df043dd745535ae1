;; The trail of a scan: what runs, what is computed and what is written goes into entries of 16 bytes, one behind the
;; other, as (number i32, about i32, value i64); "trails.py" says what the numbers mean. Where there is no room the rest
;; is left out, and "trail" stands at "trail_end".
;; Each statement that begins has a number, from 1. What is stored in the middle of a scan are events whose scan is the
;; number of the statement before which they are stored.
(func $begin (param $number i32) (param $about i32) (local $begun i32) (local $insert i32)
  (local.set $begun (i32.add (i32.load (i32.const {begun})) (i32.const 1)))
  (i32.store (i32.const {begun}) (local.get $begun))
  block $done loop $next
  (local.set $insert (i32.load (i32.const {insert})))
  (br_if $done (i32.ge_u (local.get $insert) (i32.load (i32.const {inserts_end}))))
  (br_if $done (i64.ne (i64.load (local.get $insert)) (i64.extend_i32_u (local.get $begun))))
  (call $trail (i32.const -21) (i32.const 0) (i64.const 0))
  (call $event (i32.load offset=8 (local.get $insert)) (i32.load offset=12 (local.get $insert)) (i64.load offset=16 (local.get $insert)))
  (i32.store (i32.const {insert}) (i32.add (local.get $insert) (i32.const 24)))
  br $next end end
  (call $trail (local.get $number) (local.get $about) (i64.const 0)))
(func $trail (param $number i32) (param $about i32) (param $value i64) (local $at i32)
  (local.set $at (i32.load (i32.const {trail})))
  (if (i32.lt_u (local.get $at) (i32.load (i32.const {trail_end}))) (then
    (i32.store (local.get $at) (local.get $number))
    (i32.store offset=4 (local.get $at) (local.get $about))
    (i64.store offset=8 (local.get $at) (local.get $value))
    (i32.store (i32.const {trail}) (i32.add (local.get $at) (i32.const 16))))))
(func $tell_i32 (param $value i32) (param $about i32) (param $number i32) (result i32)
  (call $trail (local.get $number) (local.get $about) (i64.extend_i32_s (local.get $value)))
  (local.get $value))
(func $tell_i64 (param $value i64) (param $about i32) (param $number i32) (result i64)
  (call $trail (local.get $number) (local.get $about) (local.get $value))
  (local.get $value))
(func $tell_f32 (param $value f32) (param $about i32) (param $number i32) (result f32)
  (call $trail (local.get $number) (local.get $about) (i64.extend_i32_u (i32.reinterpret_f32 (local.get $value))))
  (local.get $value))
(func $tell_f64 (param $value f64) (param $about i32) (param $number i32) (result f64)
  (call $trail (local.get $number) (local.get $about) (i64.reinterpret_f64 (local.get $value)))
  (local.get $value))
(func $tell_written (param $at i32) (param $size i32)
  block $done loop $next
  (br_if $done (i32.lt_u (local.get $size) (i32.const 8)))
  (call $trail (i32.const -8) (local.get $at) (i64.load (local.get $at)))
  (local.set $at (i32.add (local.get $at) (i32.const 8)))
  (local.set $size (i32.sub (local.get $size) (i32.const 8)))
  br $next end end
  (if (i32.and (local.get $size) (i32.const 4)) (then
    (call $trail (i32.const -4) (local.get $at) (i64.load32_u (local.get $at)))
    (local.set $at (i32.add (local.get $at) (i32.const 4)))))
  (if (i32.and (local.get $size) (i32.const 2)) (then
    (call $trail (i32.const -2) (local.get $at) (i64.load16_u (local.get $at)))
    (local.set $at (i32.add (local.get $at) (i32.const 2)))))
  (if (i32.and (local.get $size) (i32.const 1)) (then
    (call $trail (i32.const -1) (local.get $at) (i64.load8_u (local.get $at))))))
