BEGIN TRANSACTION;
CREATE TABLE alembic_version (
	version_num VARCHAR(32) NOT NULL, 
	CONSTRAINT alembic_version_pkc PRIMARY KEY (version_num)
);
INSERT INTO "alembic_version" VALUES('0004');
CREATE TABLE entry (
	uid VARCHAR(80) NOT NULL, 
	revision INTEGER NOT NULL, 
	at VARCHAR(32) NOT NULL, 
	why VARCHAR(200) NOT NULL, 
	removed BOOLEAN NOT NULL, 
	machine_uid VARCHAR(80) NOT NULL, 
	stock_uid VARCHAR(80) NOT NULL, 
	task VARCHAR(20) NOT NULL, 
	body TEXT NOT NULL, who VARCHAR(80) DEFAULT '' NOT NULL, 
	PRIMARY KEY (uid, revision)
);
INSERT INTO "entry" VALUES('e1',1,'2026-04-14T09:00:00+00:00','chosen',0,'long-bed','birch-3','cut','{"uid": "e1", "machine_uid": "long-bed", "stock_uid": "birch-3", "task": "cut", "setting": {"power": 0.85, "speed_mm_s": 12.0, "passes": 1, "focus_mm": 1.5, "pitch_mm": 0.0, "air": "full", "beam": "constant", "direction": "xy", "crosshatch": false}, "origin": "trial", "written": "2026-04-14", "lot": "7", "machine_state": 1, "evidence": {"trial_ids": [], "cells_read": 0, "probability": null, "target": 0.99, "margins": {"speed": null, "power": null, "thickness_mm": null, "focus_up_mm": null, "focus_down_mm": null, "power_up": null}, "char": null, "seconds_per_m": null, "seconds_per_100cm2": null, "edge_doubt": null, "says": ""}, "proofs": [], "notes": ""}','');
CREATE TABLE machine (
	uid VARCHAR(80) NOT NULL, 
	revision INTEGER NOT NULL, 
	at VARCHAR(32) NOT NULL, 
	why VARCHAR(200) NOT NULL, 
	removed BOOLEAN NOT NULL, 
	body TEXT NOT NULL, who VARCHAR(80) DEFAULT '' NOT NULL, 
	PRIMARY KEY (uid, revision)
);
INSERT INTO "machine" VALUES('long-bed',1,'2026-04-14T09:00:00+00:00','set up',0,'{"name": "Long Bed", "source": "co2", "wavelength_nm": 10600, "optical_power_w": 60, "spot_x_mm": 0.2, "spot_y_mm": 0.2, "rayleigh_mm": 2.5, "max_speed_mm_s": 500, "acceleration_mm_s2": 6000, "bed_mm": [900, 600], "power_scale": 1000.0, "rated_power_w": null, "modes": [], "uid": "long-bed", "state": 1, "notes": ""}','');
INSERT INTO "machine" VALUES('north-bench',1,'2026-04-14T09:00:00+00:00','set up',0,'{"name": "North Bench", "source": "diode", "wavelength_nm": 450, "optical_power_w": 10, "spot_x_mm": 0.12, "spot_y_mm": 0.08, "rayleigh_mm": 1.7, "max_speed_mm_s": 300, "acceleration_mm_s2": 3000, "bed_mm": [400, 400], "power_scale": 1000.0, "rated_power_w": null, "modes": [], "uid": "north-bench", "state": 1, "notes": ""}','');
CREATE TABLE photo (
	name VARCHAR(100) NOT NULL, 
	data BLOB NOT NULL, 
	PRIMARY KEY (name)
);
CREATE TABLE reading (
	uid VARCHAR(80) NOT NULL, 
	revision INTEGER NOT NULL, 
	at VARCHAR(32) NOT NULL, 
	why VARCHAR(200) NOT NULL, 
	removed BOOLEAN NOT NULL, 
	trial_uid VARCHAR(80) NOT NULL, 
	body TEXT NOT NULL, who VARCHAR(80) DEFAULT '' NOT NULL, 
	PRIMARY KEY (uid, revision)
);
CREATE TABLE rule (
	uid VARCHAR(80) NOT NULL, 
	revision INTEGER NOT NULL, 
	at VARCHAR(32) NOT NULL, 
	why VARCHAR(200) NOT NULL, 
	removed BOOLEAN NOT NULL, 
	body TEXT NOT NULL, who VARCHAR(80) DEFAULT '' NOT NULL, 
	PRIMARY KEY (uid, revision)
);
INSERT INTO "rule" VALUES('mdf',1,'2026-11-26T12:45:09+00:00','asked once',0,'{"burns": true}','');
CREATE TABLE run (
	uid VARCHAR(80) NOT NULL, 
	revision INTEGER NOT NULL, 
	at VARCHAR(32) NOT NULL, 
	why VARCHAR(200) NOT NULL, 
	removed BOOLEAN NOT NULL, 
	body TEXT NOT NULL, who VARCHAR(80) DEFAULT '' NOT NULL, 
	PRIMARY KEY (uid, revision)
);
CREATE TABLE stock (
	uid VARCHAR(80) NOT NULL, 
	revision INTEGER NOT NULL, 
	at VARCHAR(32) NOT NULL, 
	why VARCHAR(200) NOT NULL, 
	removed BOOLEAN NOT NULL, 
	body TEXT NOT NULL, who VARCHAR(80) DEFAULT '' NOT NULL, 
	PRIMARY KEY (uid, revision)
);
INSERT INTO "stock" VALUES('birch-3',1,'2026-04-14T09:00:00+00:00','set up',0,'{"name": "Birch ply", "family": "plywood", "thickness_mm": 3.0, "measured_mm": [3.02, 3.05, 2.98], "finish": "", "colour": "", "opacity": "opaque", "lot": "7", "uid": "birch-3", "notes": ""}','');
CREATE TABLE trial (
	uid VARCHAR(80) NOT NULL, 
	revision INTEGER NOT NULL, 
	at VARCHAR(32) NOT NULL, 
	why VARCHAR(200) NOT NULL, 
	removed BOOLEAN NOT NULL, 
	machine_uid VARCHAR(80) NOT NULL, 
	stock_uid VARCHAR(80) NOT NULL, 
	task VARCHAR(20) NOT NULL, 
	stage VARCHAR(20) NOT NULL, 
	body TEXT NOT NULL, who VARCHAR(80) DEFAULT '' NOT NULL, 
	PRIMARY KEY (uid, revision)
);
INSERT INTO "trial" VALUES('coupon-1',1,'2026-04-14T09:00:00+00:00','written',0,'long-bed','birch-3','cut','burn','{"id": "coupon-1", "name": "Coupon 0001", "made": "2026-04-14", "machine": {"name": "Long Bed", "source": "co2", "wavelength_nm": 10600, "optical_power_w": 60, "spot_x_mm": 0.2, "spot_y_mm": 0.2, "rayleigh_mm": 2.5, "max_speed_mm_s": 500, "acceleration_mm_s2": 6000, "bed_mm": [900, 600], "power_scale": 1000.0, "rated_power_w": null, "modes": [], "uid": "long-bed", "state": 1, "notes": ""}, "stock": {"name": "Birch ply", "family": "plywood", "thickness_mm": 3.0, "measured_mm": [3.02, 3.05, 2.98], "finish": "", "colour": "", "opacity": "opaque", "lot": "7", "uid": "birch-3", "notes": ""}, "task": "cut", "coupon": {"width_mm": 100.0, "height_mm": 72.0}, "factors": [{"name": "power", "unit": "%", "levels": [55.0, 70.0, 85.0, 100.0]}, {"name": "speed", "unit": "mm/s", "levels": [8.2, 13.0, 17.8, 22.6, 27.4, 32.2]}], "cells": [{"id": "A6", "row": 0, "col": 5, "mark": "outline", "rect_mm": [80.0, 10.0, 10.0, 10.0], "order": 1, "seconds": 1.264, "setting": {"power": 0.55, "speed_mm_s": 32.2, "passes": 1, "focus_mm": 1.5, "pitch_mm": 0.0, "air": "full", "beam": "constant", "direction": "xy", "crosshatch": false}}, {"id": "A5", "row": 0, "col": 4, "mark": "outline", "rect_mm": [66.0, 10.0, 10.0, 10.0], "order": 2, "seconds": 1.478, "setting": {"power": 0.55, "speed_mm_s": 27.4, "passes": 1, "focus_mm": 1.5, "pitch_mm": 0.0, "air": "full", "beam": "constant", "direction": "xy", "crosshatch": false}}, {"id": "B6", "row": 1, "col": 5, "mark": "outline", "rect_mm": [80.0, 24.0, 10.0, 10.0], "order": 3, "seconds": 1.264, "setting": {"power": 0.7, "speed_mm_s": 32.2, "passes": 1, "focus_mm": 1.5, "pitch_mm": 0.0, "air": "full", "beam": "constant", "direction": "xy", "crosshatch": false}}, {"id": "A4", "row": 0, "col": 3, "mark": "outline", "rect_mm": [52.0, 10.0, 10.0, 10.0], "order": 4, "seconds": 1.785, "setting": {"power": 0.55, "speed_mm_s": 22.6, "passes": 1, "focus_mm": 1.5, "pitch_mm": 0.0, "air": "full", "beam": "constant", "direction": "xy", "crosshatch": false}}, {"id": "B5", "row": 1, "col": 4, "mark": "outline", "rect_mm": [66.0, 24.0, 10.0, 10.0], "order": 5, "seconds": 1.478, "setting": {"power": 0.7, "speed_mm_s": 27.4, "passes": 1, "focus_mm": 1.5, "pitch_mm": 0.0, "air": "full", "beam": "constant", "direction": "xy", "crosshatch": false}}, {"id": "C6", "row": 2, "col": 5, "mark": "outline", "rect_mm": [80.0, 38.0, 10.0, 10.0], "order": 6, "seconds": 1.264, "setting": {"power": 0.85, "speed_mm_s": 32.2, "passes": 1, "focus_mm": 1.5, "pitch_mm": 0.0, "air": "full", "beam": "constant", "direction": "xy", "crosshatch": false}}, {"id": "A3", "row": 0, "col": 2, "mark": "outline", "rect_mm": [38.0, 10.0, 10.0, 10.0], "order": 7, "seconds": 2.259, "setting": {"power": 0.55, "speed_mm_s": 17.8, "passes": 1, "focus_mm": 1.5, "pitch_mm": 0.0, "air": "full", "beam": "constant", "direction": "xy", "crosshatch": false}}, {"id": "B4", "row": 1, "col": 3, "mark": "outline", "rect_mm": [52.0, 24.0, 10.0, 10.0], "order": 8, "seconds": 1.785, "setting": {"power": 0.7, "speed_mm_s": 22.6, "passes": 1, "focus_mm": 1.5, "pitch_mm": 0.0, "air": "full", "beam": "constant", "direction": "xy", "crosshatch": false}}, {"id": "C5", "row": 2, "col": 4, "mark": "outline", "rect_mm": [66.0, 38.0, 10.0, 10.0], "order": 9, "seconds": 1.478, "setting": {"power": 0.85, "speed_mm_s": 27.4, "passes": 1, "focus_mm": 1.5, "pitch_mm": 0.0, "air": "full", "beam": "constant", "direction": "xy", "crosshatch": false}}, {"id": "D6", "row": 3, "col": 5, "mark": "outline", "rect_mm": [80.0, 52.0, 10.0, 10.0], "order": 10, "seconds": 1.264, "setting": {"power": 1.0, "speed_mm_s": 32.2, "passes": 1, "focus_mm": 1.5, "pitch_mm": 0.0, "air": "full", "beam": "constant", "direction": "xy", "crosshatch": false}}, {"id": "D5", "row": 3, "col": 4, "mark": "outline", "rect_mm": [66.0, 52.0, 10.0, 10.0], "order": 11, "seconds": 1.478, "setting": {"power": 1.0, "speed_mm_s": 27.4, "passes": 1, "focus_mm": 1.5, "pitch_mm": 0.0, "air": "full", "beam": "constant", "direction": "xy", "crosshatch": false}}, {"id": "C4", "row": 2, "col": 3, "mark": "outline", "rect_mm": [52.0, 38.0, 10.0, 10.0], "order": 12, "seconds": 1.785, "setting": {"power": 0.85, "speed_mm_s": 22.6, "passes": 1, "focus_mm": 1.5, "pitch_mm": 0.0, "air": "full", "beam": "constant", "direction": "xy", "crosshatch": false}}, {"id": "B3", "row": 1, "col": 2, "mark": "outline", "rect_mm": [38.0, 24.0, 10.0, 10.0], "order": 13, "seconds": 2.259, "setting": {"power": 0.7, "speed_mm_s": 17.8, "passes": 1, "focus_mm": 1.5, "pitch_mm": 0.0, "air": "full", "beam": "constant", "direction": "xy", "crosshatch": false}}, {"id": "A2", "row": 0, "col": 1, "mark": "outline", "rect_mm": [24.0, 10.0, 10.0, 10.0], "order": 14, "seconds": 3.086, "setting": {"power": 0.55, "speed_mm_s": 13.0, "passes": 1, "focus_mm": 1.5, "pitch_mm": 0.0, "air": "full", "beam": "constant", "direction": "xy", "crosshatch": false}}, {"id": "D4", "row": 3, "col": 3, "mark": "outline", "rect_mm": [52.0, 52.0, 10.0, 10.0], "order": 15, "seconds": 1.785, "setting": {"power": 1.0, "speed_mm_s": 22.6, "passes": 1, "focus_mm": 1.5, "pitch_mm": 0.0, "air": "full", "beam": "constant", "direction": "xy", "crosshatch": false}}, {"id": "C3", "row": 2, "col": 2, "mark": "outline", "rect_mm": [38.0, 38.0, 10.0, 10.0], "order": 16, "seconds": 2.259, "setting": {"power": 0.85, "speed_mm_s": 17.8, "passes": 1, "focus_mm": 1.5, "pitch_mm": 0.0, "air": "full", "beam": "constant", "direction": "xy", "crosshatch": false}}, {"id": "B2", "row": 1, "col": 1, "mark": "outline", "rect_mm": [24.0, 24.0, 10.0, 10.0], "order": 17, "seconds": 3.086, "setting": {"power": 0.7, "speed_mm_s": 13.0, "passes": 1, "focus_mm": 1.5, "pitch_mm": 0.0, "air": "full", "beam": "constant", "direction": "xy", "crosshatch": false}}, {"id": "D3", "row": 3, "col": 2, "mark": "outline", "rect_mm": [38.0, 52.0, 10.0, 10.0], "order": 18, "seconds": 2.259, "setting": {"power": 1.0, "speed_mm_s": 17.8, "passes": 1, "focus_mm": 1.5, "pitch_mm": 0.0, "air": "full", "beam": "constant", "direction": "xy", "crosshatch": false}}, {"id": "C2", "row": 2, "col": 1, "mark": "outline", "rect_mm": [24.0, 38.0, 10.0, 10.0], "order": 19, "seconds": 3.086, "setting": {"power": 0.85, "speed_mm_s": 13.0, "passes": 1, "focus_mm": 1.5, "pitch_mm": 0.0, "air": "full", "beam": "constant", "direction": "xy", "crosshatch": false}}, {"id": "A1", "row": 0, "col": 0, "mark": "outline", "rect_mm": [10.0, 10.0, 10.0, 10.0], "order": 20, "seconds": 4.884, "setting": {"power": 0.55, "speed_mm_s": 8.2, "passes": 1, "focus_mm": 1.5, "pitch_mm": 0.0, "air": "full", "beam": "constant", "direction": "xy", "crosshatch": false}}, {"id": "D2", "row": 3, "col": 1, "mark": "outline", "rect_mm": [24.0, 52.0, 10.0, 10.0], "order": 21, "seconds": 3.086, "setting": {"power": 1.0, "speed_mm_s": 13.0, "passes": 1, "focus_mm": 1.5, "pitch_mm": 0.0, "air": "full", "beam": "constant", "direction": "xy", "crosshatch": false}}, {"id": "B1", "row": 1, "col": 0, "mark": "outline", "rect_mm": [10.0, 24.0, 10.0, 10.0], "order": 22, "seconds": 4.884, "setting": {"power": 0.7, "speed_mm_s": 8.2, "passes": 1, "focus_mm": 1.5, "pitch_mm": 0.0, "air": "full", "beam": "constant", "direction": "xy", "crosshatch": false}}, {"id": "C1", "row": 2, "col": 0, "mark": "outline", "rect_mm": [10.0, 38.0, 10.0, 10.0], "order": 23, "seconds": 4.884, "setting": {"power": 0.85, "speed_mm_s": 8.2, "passes": 1, "focus_mm": 1.5, "pitch_mm": 0.0, "air": "full", "beam": "constant", "direction": "xy", "crosshatch": false}}, {"id": "D1", "row": 3, "col": 0, "mark": "outline", "rect_mm": [10.0, 52.0, 10.0, 10.0], "order": 24, "seconds": 4.884, "setting": {"power": 1.0, "speed_mm_s": 8.2, "passes": 1, "focus_mm": 1.5, "pitch_mm": 0.0, "air": "full", "beam": "constant", "direction": "xy", "crosshatch": false}}], "seconds": 61.618, "on_sheet": {"x_mm": 10.0, "y_mm": 10.0}, "fiducials": [], "notes": ""}','');
CREATE INDEX reading_trial ON reading (trial_uid);
COMMIT;
