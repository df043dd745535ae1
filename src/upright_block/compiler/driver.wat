;; The scan loop. Python fills in the header and calls "run"; nothing on the way calls out.
;; Header (little-endian, offsets in bytes):
;;    8 now (i64, ns)        16 scan                 20 fault site, 0 for none   24 instance at fault
;;   28 site of the last call of a standard function
;;   32 interval (i64, ns)   40 scan to stop before  44 next event               48 end of events
;;   52 forces               56 end of forces        60 watched spans            64 end of them
;;   68 next log entry       72 loop turns a scan   76 log entry to stop at     80 wall clock at the start (i64, ns since 1970)
;; An event is (scan, address, width, unused, value i64); a force is (address, width or 0, value i64);
;; a watched span is (address, end, address of its copy, address of its mask), in words of 8 bytes. After each scan a word
;; that differs from its copy within its mask is written to the log, as (scan, address, value i64), and copied.
(func $fault (param $site i32) (param $self i32)
  (i32.store (i32.const 20) (local.get $site))
  (i32.store (i32.const 24) (local.get $self))
  (i32.store (i32.const 28) (global.get $caller)))
(func $poke (param $address i32) (param $width i32) (param $value i64)
  block $done block $eight block $four block $two block $one
  local.get $width
  br_table $done $one $two $done $four $done $done $done $eight $done
  end (i64.store8 (local.get $address) (local.get $value)) br $done
  end (i64.store16 (local.get $address) (local.get $value)) br $done
  end (i64.store32 (local.get $address) (local.get $value)) br $done
  end (i64.store (local.get $address) (local.get $value))
  end)
(func $apply_forces (local $force i32) (local $end i32)
  (local.set $force (i32.load (i32.const 52)))
  (local.set $end (i32.load (i32.const 56)))
  block $done loop $next
  (br_if $done (i32.ge_u (local.get $force) (local.get $end)))
  (call $poke (i32.load (local.get $force)) (i32.load offset=4 (local.get $force)) (i64.load offset=8 (local.get $force)))
  (local.set $force (i32.add (local.get $force) (i32.const 16)))
  br $next end end)
(func $log_changes (param $scan i32) (local $span i32) (local $at i32) (local $end i32) (local $copy i32) (local $mask i32) (local $log i32) (local $value i64)
  (local.set $span (i32.load (i32.const 60)))
  (local.set $log (i32.load (i32.const 68)))
  block $done loop $next_span
  (br_if $done (i32.ge_u (local.get $span) (i32.load (i32.const 64))))
  (local.set $at (i32.load (local.get $span)))
  (local.set $end (i32.load offset=4 (local.get $span)))
  (local.set $copy (i32.load offset=8 (local.get $span)))
  (local.set $mask (i32.load offset=12 (local.get $span)))
  block $span_done loop $next_word
  (br_if $span_done (i32.ge_u (local.get $at) (local.get $end)))
  (local.set $value (i64.load (local.get $at)))
  block $same
  (br_if $same (i64.eqz (i64.and (i64.xor (local.get $value) (i64.load (local.get $copy))) (i64.load (local.get $mask)))))
  (i32.store (local.get $log) (local.get $scan))
  (i32.store offset=4 (local.get $log) (local.get $at))
  (i64.store offset=8 (local.get $log) (local.get $value))
  (local.set $log (i32.add (local.get $log) (i32.const 16)))
  (i64.store (local.get $copy) (local.get $value))
  end
  (local.set $at (i32.add (local.get $at) (i32.const 8)))
  (local.set $copy (i32.add (local.get $copy) (i32.const 8)))
  (local.set $mask (i32.add (local.get $mask) (i32.const 8)))
  br $next_word end end
  (local.set $span (i32.add (local.get $span) (i32.const 16)))
  br $next_span end end
  (i32.store (i32.const 68) (local.get $log)))
(func (export "run") (local $scan i32) (local $event i32)
  (local.set $scan (i32.load (i32.const 16)))
  (local.set $event (i32.load (i32.const 44)))
  block $done loop $next_scan
  (br_if $done (i32.ge_u (local.get $scan) (i32.load (i32.const 40))))
  (br_if $done (i32.gt_u (i32.load (i32.const 68)) (i32.load (i32.const 76))))
  (i32.store (i32.const 16) (local.get $scan))
  (i64.store (i32.const 8) (i64.mul (i64.extend_i32_u (local.get $scan)) (i64.load (i32.const 32))))
  block $events_done loop $next_event
  (br_if $events_done (i32.ge_u (local.get $event) (i32.load (i32.const 48))))
  (br_if $events_done (i32.gt_u (i32.load (local.get $event)) (local.get $scan)))
  (call $poke (i32.load offset=4 (local.get $event)) (i32.load offset=8 (local.get $event)) (i64.load offset=16 (local.get $event)))
  (local.set $event (i32.add (local.get $event) (i32.const 24)))
  br $next_event end end
  call $apply_forces
  (global.set $budget (i32.load (i32.const 72)))
  call $scan
  call $apply_forces
  (call $log_changes (local.get $scan))
  (local.set $scan (i32.add (local.get $scan) (i32.const 1)))
  br $next_scan end end
  (i32.store (i32.const 16) (local.get $scan))
  (i32.store (i32.const 44) (local.get $event)))
