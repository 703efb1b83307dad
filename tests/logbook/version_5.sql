BEGIN TRANSACTION;
CREATE TABLE away (id INTEGER NOT NULL PRIMARY KEY, from_ms INTEGER NOT NULL, to_ms INTEGER NOT NULL,
            note VARCHAR NOT NULL, withdrawn_ms INTEGER);
CREATE TABLE batch (
	id INTEGER NOT NULL, 
	incubator_id INTEGER NOT NULL, 
	name VARCHAR NOT NULL, 
	species VARCHAR NOT NULL, 
	regime VARCHAR NOT NULL, 
	eggs INTEGER NOT NULL CHECK (eggs > 0), 
	set_ms INTEGER NOT NULL, 
	ended_ms INTEGER, 
	withdrawn_ms INTEGER, day_count VARCHAR NOT NULL DEFAULT 'from 0', tray VARCHAR NOT NULL DEFAULT 'grid'
            CHECK (tray IN ('grid', 'rows', 'ring')), 
	PRIMARY KEY (id), 
	FOREIGN KEY(incubator_id) REFERENCES incubator (id)
);
INSERT INTO "batch" VALUES(1,1,'12 chicken','chicken','steady',12,1778661600000,NULL,NULL,'from 0','grid');
CREATE TABLE break_out (id INTEGER NOT NULL PRIMARY KEY, batch_id INTEGER NOT NULL REFERENCES batch (id),
            time_ms INTEGER NOT NULL, mark VARCHAR NOT NULL, count INTEGER NOT NULL CHECK (count > 0),
            stage VARCHAR NOT NULL, position VARCHAR NOT NULL, signs VARCHAR NOT NULL, note VARCHAR NOT NULL,
            logged_ms INTEGER NOT NULL, withdrawn_ms INTEGER);
CREATE TABLE budget_line (id INTEGER NOT NULL PRIMARY KEY,
            calibration_id INTEGER NOT NULL REFERENCES calibration (id), label VARCHAR NOT NULL, unit VARCHAR NOT NULL,
            standard_uncertainty FLOAT NOT NULL, distribution VARCHAR NOT NULL, degrees_of_freedom FLOAT,
            sensitivity FLOAT NOT NULL);
CREATE TABLE "calibration" (
            id INTEGER NOT NULL PRIMARY KEY,
            channel_id INTEGER NOT NULL REFERENCES channel (id),
            reference_channel_id INTEGER REFERENCES channel (id),
            done_ms INTEGER NOT NULL, valid_from_ms INTEGER NOT NULL, model VARCHAR NOT NULL,
            coefficients VARCHAR NOT NULL, covariance VARCHAR NOT NULL, pivot FLOAT NOT NULL,
            domain_low FLOAT NOT NULL, domain_high FLOAT NOT NULL, chi_square FLOAT NOT NULL,
            degrees_of_freedom INTEGER NOT NULL, coverage_factor FLOAT NOT NULL, slope_allowance FLOAT NOT NULL,
            widened FLOAT NOT NULL, method VARCHAR NOT NULL DEFAULT 'side', state VARCHAR NOT NULL DEFAULT 'as found',
            reference_calibration_id INTEGER REFERENCES calibration (id), conditions VARCHAR NOT NULL DEFAULT '',
            withdrawn_ms INTEGER);
INSERT INTO "calibration" VALUES(1,1,2,1779093600000,1779007200000,'line','[0.4799398313122296, 0.022033898305084065]','[[0.003080032042612478, 0.0], [0.0, 0.0013023160185896545]]',3.71818846518622834204e+01,36.05,39.0,9.22165233162796382782e-27,0,2.57058183563631459378e+00,0.005,1.0,'side','as found',NULL,'sensors apart by up to ± 0.05',NULL);
INSERT INTO "calibration" VALUES(2,1,2,1779093600000,1779093600000,'offset','[1.0]','[[0.0020750000000000005]]',36.0,36.0,36.0,0.0,0,1.95996398454005404943e+00,0.005,1.0,'side','as found',NULL,'sensors apart by up to ± 0.05',1779093600000);
CREATE TABLE calibration_point (
	id INTEGER NOT NULL, 
	calibration_id INTEGER NOT NULL, 
	shown VARCHAR NOT NULL, 
	reference_shown VARCHAR NOT NULL, 
	reading FLOAT NOT NULL, 
	reference FLOAT NOT NULL, 
	u_reading FLOAT NOT NULL, 
	u_reference FLOAT NOT NULL, source VARCHAR NOT NULL DEFAULT '', direction VARCHAR NOT NULL DEFAULT '', residual FLOAT NOT NULL DEFAULT 0, 
	PRIMARY KEY (id), 
	FOREIGN KEY(calibration_id) REFERENCES calibration (id)
);
INSERT INTO "calibration_point" VALUES(1,1,'36.0 36.1','36.40 36.41',36.05,36.505,5.77350269189631920552e-02,2.94392028877593220359e-02,'','',0.0);
INSERT INTO "calibration_point" VALUES(2,1,'39.0','39.42',39.0,39.52,7.63762615825982760231e-02,2.98607881119478633935e-02,'','',0.0);
INSERT INTO "calibration_point" VALUES(3,2,'36.0','36.90',36.0,37.0,2.88675134594812907162e-02,2.90114919758820179185e-02,'','',0.0);
CREATE TABLE certificate_point (
	id INTEGER NOT NULL, 
	channel_id INTEGER NOT NULL, 
	dated_ms INTEGER NOT NULL, 
	reading FLOAT NOT NULL, 
	correction FLOAT NOT NULL, 
	expanded_uncertainty FLOAT NOT NULL, 
	coverage_factor FLOAT NOT NULL, 
	withdrawn_ms INTEGER, drift_per_year FLOAT NOT NULL DEFAULT 0, expires_ms INTEGER, 
	PRIMARY KEY (id), 
	FOREIGN KEY(channel_id) REFERENCES channel (id)
);
INSERT INTO "certificate_point" VALUES(1,2,1776501600000,0.0,0.1,0.04,2.0,NULL,0.0,NULL);
INSERT INTO "certificate_point" VALUES(2,2,1776501600000,45.0,0.1,0.04,2.0,NULL,0.0,NULL);
CREATE TABLE channel (
	id INTEGER NOT NULL, 
	instrument_id INTEGER NOT NULL, 
	quantity VARCHAR NOT NULL CHECK (quantity IN ('temperature', 'humidity')), 
	unit VARCHAR NOT NULL CHECK (unit IN ('°C', '°F', '%')), 
	resolution FLOAT NOT NULL, 
	accuracy FLOAT NOT NULL, 
	low FLOAT NOT NULL, 
	high FLOAT NOT NULL, 
	withdrawn_ms INTEGER, response_s FLOAT, between_checks VARCHAR NOT NULL DEFAULT 'hold', 
	PRIMARY KEY (id), 
	FOREIGN KEY(instrument_id) REFERENCES instrument (id)
);
INSERT INTO "channel" VALUES(1,1,'temperature','°C',0.1,1.0,-10.0,60.0,NULL,NULL,'hold');
INSERT INTO "channel" VALUES(2,2,'temperature','°C',0.01,0.1,-10.0,60.0,NULL,NULL,'hold');
CREATE TABLE chunk (
	id INTEGER NOT NULL, 
	channel_id INTEGER NOT NULL, 
	logger_import_id INTEGER NOT NULL, 
	first_ms INTEGER NOT NULL, 
	last_ms INTEGER NOT NULL, 
	count INTEGER NOT NULL, 
	least FLOAT NOT NULL, 
	most FLOAT NOT NULL, 
	total FLOAT NOT NULL, 
	times BLOB NOT NULL, 
	shown BLOB NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(channel_id) REFERENCES channel (id), 
	FOREIGN KEY(logger_import_id) REFERENCES logger_import (id)
);
CREATE TABLE dropped_state (id INTEGER NOT NULL PRIMARY KEY,
            incubator_id INTEGER NOT NULL REFERENCES incubator (id), since_ms INTEGER NOT NULL,
            withdrawn_ms INTEGER);
CREATE TABLE egg (id INTEGER NOT NULL PRIMARY KEY, batch_id INTEGER NOT NULL REFERENCES batch (id),
            mark VARCHAR NOT NULL, place VARCHAR NOT NULL, about VARCHAR NOT NULL, laid_ms INTEGER,
            withdrawn_ms INTEGER, breed VARCHAR NOT NULL DEFAULT '', mother VARCHAR NOT NULL DEFAULT '', source VARCHAR NOT NULL DEFAULT '');
INSERT INTO "egg" VALUES(1,1,'1','1/1','own flock',NULL,NULL,'','','');
CREATE TABLE egg_finding (id INTEGER NOT NULL PRIMARY KEY, batch_id INTEGER NOT NULL REFERENCES batch (id),
            time_ms INTEGER NOT NULL, mark VARCHAR NOT NULL, kind VARCHAR NOT NULL,
            count INTEGER NOT NULL CHECK (count > 0), note VARCHAR NOT NULL, logged_ms INTEGER NOT NULL,
            withdrawn_ms INTEGER);
INSERT INTO "egg_finding" VALUES(1,1,1778661700000,'1','alive',1,'',1778661700000,NULL);
CREATE TABLE egg_size (id INTEGER NOT NULL PRIMARY KEY, batch_id INTEGER NOT NULL REFERENCES batch (id),
            time_ms INTEGER NOT NULL, mark VARCHAR NOT NULL, length_mm FLOAT, breadth_mm FLOAT, air_cell_mm FLOAT,
            withdrawn_ms INTEGER);
CREATE TABLE event (
	id INTEGER NOT NULL, 
	incubator_id INTEGER NOT NULL, 
	time_ms INTEGER NOT NULL, 
	kind VARCHAR NOT NULL, 
	note VARCHAR NOT NULL, 
	set_point_c FLOAT, 
	withdrawn_ms INTEGER, surface_cm2 FLOAT, opening FLOAT, water_ml FLOAT, 
	PRIMARY KEY (id), 
	FOREIGN KEY(incubator_id) REFERENCES incubator (id)
);
INSERT INTO "event" VALUES(1,1,1779086400000,'water','cup',NULL,NULL,NULL,NULL,NULL);
CREATE TABLE "incubator" (
            id INTEGER NOT NULL PRIMARY KEY, name VARCHAR NOT NULL,
            air VARCHAR NOT NULL CHECK (air IN ('forced', 'still', 'room')), set_point_c FLOAT,
            withdrawn_ms INTEGER, capacity INTEGER);
INSERT INTO "incubator" VALUES(1,'Cabinet','forced',37.5,NULL,NULL);
CREATE TABLE instrument (
	id INTEGER NOT NULL, 
	name VARCHAR NOT NULL, 
	role VARCHAR NOT NULL CHECK (role IN ('working', 'reference')), 
	kind VARCHAR NOT NULL, 
	withdrawn_ms INTEGER, 
	PRIMARY KEY (id)
);
INSERT INTO "instrument" VALUES(1,'Lid','working','lid display',NULL);
INSERT INTO "instrument" VALUES(2,'Lab','reference','lab thermometer',NULL);
CREATE TABLE live_reading (id INTEGER NOT NULL PRIMARY KEY,
            channel_id INTEGER NOT NULL REFERENCES channel (id), time_ms INTEGER NOT NULL, shown FLOAT NOT NULL);
INSERT INTO "live_reading" VALUES(1,1,1779000000000,37.0);
CREATE TABLE logger_import (
	id INTEGER NOT NULL, 
	file_name VARCHAR NOT NULL, 
	imported_ms INTEGER NOT NULL, 
	good INTEGER NOT NULL, 
	duplicate INTEGER NOT NULL, 
	bad INTEGER NOT NULL, 
	withdrawn_ms INTEGER, 
	PRIMARY KEY (id)
);
CREATE TABLE loss_target (id INTEGER NOT NULL PRIMARY KEY, batch_id INTEGER NOT NULL REFERENCES batch (id),
            from_ms INTEGER NOT NULL, rh FLOAT NOT NULL, low FLOAT NOT NULL, high FLOAT NOT NULL,
            withdrawn_ms INTEGER);
INSERT INTO "loss_target" VALUES(1,1,1778700000000,48.0,45.0,51.0,NULL);
CREATE TABLE placement (
	id INTEGER NOT NULL, 
	instrument_id INTEGER NOT NULL, 
	incubator_id INTEGER NOT NULL, 
	place VARCHAR NOT NULL, 
	at_egg_top BOOLEAN NOT NULL, 
	from_ms INTEGER NOT NULL, 
	to_ms INTEGER, 
	withdrawn_ms INTEGER, 
	PRIMARY KEY (id), 
	FOREIGN KEY(instrument_id) REFERENCES instrument (id), 
	FOREIGN KEY(incubator_id) REFERENCES incubator (id)
);
INSERT INTO "placement" VALUES(1,1,1,'at the egg tops',1,0,NULL,NULL);
CREATE TABLE plan (id INTEGER NOT NULL PRIMARY KEY,
            incubator_id INTEGER NOT NULL REFERENCES incubator (id), batch_id INTEGER REFERENCES batch (id),
            name VARCHAR NOT NULL, species VARCHAR NOT NULL, regime VARCHAR NOT NULL,
            eggs INTEGER NOT NULL CHECK (eggs > 0), set_ms INTEGER NOT NULL, laid_ms INTEGER, mother VARCHAR NOT NULL,
            habits VARCHAR NOT NULL, withdrawn_ms INTEGER);
CREATE TABLE plan_move (id INTEGER NOT NULL PRIMARY KEY, plan_id INTEGER NOT NULL REFERENCES plan (id),
            step VARCHAR NOT NULL, at_ms INTEGER NOT NULL, withdrawn_ms INTEGER);
CREATE TABLE probe (id INTEGER NOT NULL PRIMARY KEY, name VARCHAR NOT NULL, device VARCHAR NOT NULL,
            baud INTEGER NOT NULL, layout VARCHAR NOT NULL CHECK (layout IN ('named', 'columns', 'json')),
            fields VARCHAR NOT NULL, every_s FLOAT NOT NULL, withdrawn_ms INTEGER);
INSERT INTO "probe" VALUES(1,'Box probe','/dev/ttyUSB0',9600,'named','{"t": {"channel": 1, "unit": "°C"}}',10.0,NULL);
CREATE TABLE profile (id INTEGER NOT NULL PRIMARY KEY, text VARCHAR NOT NULL, withdrawn_ms INTEGER);
CREATE TABLE reading (
	id INTEGER NOT NULL, 
	channel_id INTEGER NOT NULL, 
	time_ms INTEGER NOT NULL, 
	value FLOAT NOT NULL, 
	unit VARCHAR NOT NULL, 
	typed VARCHAR NOT NULL, 
	logged_ms INTEGER NOT NULL, 
	withdrawn_ms INTEGER, 
	withdrawn_why VARCHAR, 
	PRIMARY KEY (id), 
	FOREIGN KEY(channel_id) REFERENCES channel (id)
);
INSERT INTO "reading" VALUES(1,1,1779090000000,37.0,'°C','37,0',1779093600000,NULL,NULL);
CREATE TABLE setting (
	"key" VARCHAR NOT NULL, 
	value VARCHAR NOT NULL, 
	PRIMARY KEY ("key")
);
INSERT INTO "setting" VALUES('name','Old place');
INSERT INTO "setting" VALUES('time_zone','Europe/Vienna');
INSERT INTO "setting" VALUES('altitude_m','900');
CREATE TABLE stay (id INTEGER NOT NULL PRIMARY KEY, batch_id INTEGER NOT NULL REFERENCES batch (id),
            incubator_id INTEGER NOT NULL REFERENCES incubator (id), to_ms INTEGER NOT NULL, withdrawn_ms INTEGER);
CREATE TABLE survey (id INTEGER NOT NULL PRIMARY KEY,
            incubator_id INTEGER NOT NULL REFERENCES incubator (id), done_ms INTEGER NOT NULL,
            kind VARCHAR NOT NULL CHECK (kind IN ('places', 'heights')), egg_top_cm FLOAT, withdrawn_ms INTEGER);
INSERT INTO "survey" VALUES(1,1,1779000000000,'places',NULL,NULL);
CREATE TABLE survey_point (id INTEGER NOT NULL PRIMARY KEY,
            survey_id INTEGER NOT NULL REFERENCES survey (id), channel_id INTEGER NOT NULL REFERENCES channel (id),
            place VARCHAR NOT NULL, height_cm FLOAT, typed VARCHAR NOT NULL, reading FLOAT NOT NULL,
            u_own FLOAT NOT NULL, withdrawn_ms INTEGER);
CREATE TABLE task_mark (id INTEGER NOT NULL PRIMARY KEY, subject VARCHAR NOT NULL, step VARCHAR NOT NULL,
            state VARCHAR NOT NULL CHECK (state IN ('done', 'skipped')), at_ms INTEGER NOT NULL, why VARCHAR NOT NULL,
            withdrawn_ms INTEGER);
CREATE TABLE watched_folder (id INTEGER NOT NULL PRIMARY KEY, folder VARCHAR NOT NULL,
            columns VARCHAR NOT NULL, plan VARCHAR NOT NULL, withdrawn_ms INTEGER);
CREATE TABLE water_surface (id INTEGER NOT NULL PRIMARY KEY,
            incubator_id INTEGER NOT NULL REFERENCES incubator (id), name VARCHAR NOT NULL,
            surface_cm2 FLOAT NOT NULL CHECK (surface_cm2 > 0), volume_ml FLOAT, withdrawn_ms INTEGER);
CREATE TABLE weighing (id INTEGER NOT NULL PRIMARY KEY, batch_id INTEGER NOT NULL REFERENCES batch (id),
            time_ms INTEGER NOT NULL, mark VARCHAR NOT NULL, eggs INTEGER NOT NULL CHECK (eggs > 0),
            mass_g FLOAT NOT NULL CHECK (mass_g > 0), scale_g FLOAT NOT NULL, typed VARCHAR NOT NULL,
            withdrawn_ms INTEGER);
INSERT INTO "weighing" VALUES(1,1,1778700000000,'',12,700.0,0.1,'700,0',NULL);
CREATE INDEX event_by_incubator ON event (incubator_id, time_ms);
CREATE INDEX reading_by_channel ON reading (channel_id, time_ms);
CREATE INDEX chunk_by_channel ON chunk (channel_id, first_ms);
CREATE INDEX live_reading_by_channel ON live_reading (channel_id, time_ms);
COMMIT;
