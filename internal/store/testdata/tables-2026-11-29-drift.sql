CREATE TABLE `blocks` (
  `work_id` bigint(20) unsigned NOT NULL,
  `number` bigint(20) NOT NULL,
  `jobs` bigint(20) DEFAULT NULL,
  `data` longblob DEFAULT NULL,
  PRIMARY KEY (`work_id`,`number`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

INSERT INTO `blocks` (`data`, `jobs`, `number`, `work_id`) VALUES ('jobs of 3', '3', '0', '3');

CREATE TABLE `documents` (
  `id` bigint(20) unsigned NOT NULL AUTO_INCREMENT,
  `kind` varchar(32) DEFAULT NULL,
  `name` varchar(63) DEFAULT NULL,
  `revision` bigint(20) DEFAULT NULL,
  `dropped` tinyint(1) DEFAULT NULL,
  `at` datetime(6) DEFAULT NULL,
  PRIMARY KEY (`id`),
  UNIQUE KEY `name` (`kind`,`name`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

INSERT INTO `documents` (`at`, `dropped`, `id`, `kind`, `name`, `revision`) VALUES ('2026-11-23 10:00:00.000000', '0', '1', 'Scenario', 'lean', '2');
INSERT INTO `documents` (`at`, `dropped`, `id`, `kind`, `name`, `revision`) VALUES ('2026-11-23 10:00:00.000000', '0', '2', 'PodTemplate', 'compile-wide', '1');

CREATE TABLE `followed` (
  `scenario` varchar(63) NOT NULL,
  `from` varchar(10) DEFAULT NULL,
  `project` varchar(255) DEFAULT NULL,
  `tell` varchar(2000) DEFAULT NULL,
  `trouble` text DEFAULT NULL,
  `stands` blob DEFAULT NULL,
  `ahead` varchar(10) DEFAULT NULL,
  `by` varchar(63) DEFAULT NULL,
  `at` datetime(6) DEFAULT NULL,
  PRIMARY KEY (`scenario`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;


CREATE TABLE `heard` (
  `id` varchar(32) NOT NULL,
  `at` datetime(6) DEFAULT NULL,
  PRIMARY KEY (`id`),
  KEY `idx_heard_at` (`at`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

INSERT INTO `heard` (`at`, `id`) VALUES ('2026-11-29 09:00:00.000000', 'm1');

CREATE TABLE `intakes` (
  `id` bigint(20) unsigned NOT NULL AUTO_INCREMENT,
  `template` varchar(63) DEFAULT NULL,
  `source` varchar(255) DEFAULT NULL,
  `report` text DEFAULT NULL,
  `by` varchar(63) DEFAULT NULL,
  `at` datetime(6) DEFAULT NULL,
  PRIMARY KEY (`id`),
  KEY `idx_intakes_template` (`template`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

INSERT INTO `intakes` (`at`, `by`, `id`, `report`, `source`, `template`) VALUES ('2026-11-26 10:00:00.000000', 'owner', '1', '{}', 'file', 'compile-wide');

CREATE TABLE `live_runs` (
  `id` varchar(32) NOT NULL,
  `came` datetime(6) DEFAULT NULL,
  `open` tinyint(1) DEFAULT NULL,
  `said` blob DEFAULT NULL,
  PRIMARY KEY (`id`),
  KEY `came` (`came`),
  KEY `open` (`open`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

INSERT INTO `live_runs` (`came`, `id`, `open`, `said`) VALUES ('2026-11-29 09:00:00.000000', 'r1', '1', '{"source":"a","id":"b"}');

CREATE TABLE `nights` (
  `scenario` varchar(63) NOT NULL,
  `day` datetime(6) NOT NULL,
  `said` mediumblob DEFAULT NULL,
  `at` datetime(6) DEFAULT NULL,
  PRIMARY KEY (`scenario`,`day`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;


CREATE TABLE `notices` (
  `id` varchar(64) NOT NULL,
  `address` varchar(2000) DEFAULT NULL,
  `event` blob DEFAULT NULL,
  `attempts` bigint(20) NOT NULL DEFAULT 0,
  `next` datetime(6) DEFAULT NULL,
  `failure` text DEFAULT NULL,
  `at` datetime(6) DEFAULT NULL,
  PRIMARY KEY (`id`),
  KEY `next` (`next`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;


CREATE TABLE `pieces` (
  `digest` varchar(64) NOT NULL,
  `number` bigint(20) NOT NULL,
  `data` longblob DEFAULT NULL,
  PRIMARY KEY (`digest`,`number`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

INSERT INTO `pieces` (`data`, `digest`, `number`) VALUES ('piece', 'r1', '0');

CREATE TABLE `recordings` (
  `digest` varchar(64) NOT NULL,
  `jobs` bigint(20) DEFAULT NULL,
  `data` longblob DEFAULT NULL,
  `at` datetime(6) DEFAULT NULL,
  `pieces` bigint(20) NOT NULL DEFAULT 0,
  PRIMARY KEY (`digest`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

INSERT INTO `recordings` (`at`, `data`, `digest`, `jobs`, `pieces`) VALUES ('2026-11-23 10:00:00.000000', 'packed', 'r1', '3', '0');

CREATE TABLE `results` (
  `work_id` bigint(20) unsigned NOT NULL,
  `data` longblob DEFAULT NULL,
  PRIMARY KEY (`work_id`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

INSERT INTO `results` (`data`, `work_id`) VALUES ('result of 3', '3');
INSERT INTO `results` (`data`, `work_id`) VALUES ('result of 6', '6');

CREATE TABLE `revisions` (
  `document_id` bigint(20) unsigned NOT NULL,
  `number` bigint(20) NOT NULL,
  `digest` varchar(64) DEFAULT NULL,
  `text` mediumtext DEFAULT NULL,
  `by` varchar(63) DEFAULT NULL,
  `at` datetime(6) DEFAULT NULL,
  `edited` datetime(6) DEFAULT NULL,
  PRIMARY KEY (`document_id`,`number`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

INSERT INTO `revisions` (`at`, `by`, `digest`, `document_id`, `edited`, `number`, `text`) VALUES ('2026-11-23 10:00:00.000000', 'owner', 'd1', '1', NULL, '1', 'kind: Scenario\n');
INSERT INTO `revisions` (`at`, `by`, `digest`, `document_id`, `edited`, `number`, `text`) VALUES ('2026-11-23 11:00:00.000000', 'owner', 'd2', '1', NULL, '2', 'kind: Scenario # two\n');
INSERT INTO `revisions` (`at`, `by`, `digest`, `document_id`, `edited`, `number`, `text`) VALUES ('2026-11-23 10:00:00.000000', 'owner', 'd3', '2', NULL, '1', 'kind: PodTemplate\n');

CREATE TABLE `runs` (
  `id` bigint(20) unsigned NOT NULL AUTO_INCREMENT,
  `template` varchar(63) DEFAULT NULL,
  `pod` varchar(253) DEFAULT NULL,
  `container` varchar(63) DEFAULT NULL,
  `job` varchar(120) DEFAULT NULL,
  `class` varchar(120) DEFAULT NULL,
  `began` double DEFAULT NULL,
  `wall_ns` bigint(20) DEFAULT NULL,
  `cpu_ns` bigint(20) DEFAULT NULL,
  `throttled_ns` bigint(20) DEFAULT NULL,
  `memory` bigint(20) DEFAULT NULL,
  `disk` bigint(20) DEFAULT NULL,
  `mean_cores` double DEFAULT NULL,
  `peak_cores` double DEFAULT NULL,
  `parallel` double DEFAULT NULL,
  `killed` tinyint(1) DEFAULT NULL,
  `evicted` tinyint(1) DEFAULT NULL,
  `samples` bigint(20) DEFAULT NULL,
  `spacing` double DEFAULT NULL,
  `duplicates` bigint(20) DEFAULT NULL,
  `steps` bigint(20) DEFAULT NULL,
  `gaps` bigint(20) DEFAULT NULL,
  `resets` bigint(20) DEFAULT NULL,
  `missing` bigint(20) DEFAULT NULL,
  `restarts` bigint(20) DEFAULT NULL,
  `curve` mediumblob DEFAULT NULL,
  PRIMARY KEY (`id`),
  KEY `pod` (`template`,`pod`),
  KEY `began` (`template`,`began`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

INSERT INTO `runs` (`began`, `class`, `container`, `cpu_ns`, `curve`, `disk`, `duplicates`, `evicted`, `gaps`, `id`, `job`, `killed`, `mean_cores`, `memory`, `missing`, `parallel`, `peak_cores`, `pod`, `resets`, `restarts`, `samples`, `spacing`, `steps`, `template`, `throttled_ns`, `wall_ns`) VALUES ('1.7639e+09', 'k', 'agent', '30000000000', '', '0', '0', '0', '0', '1', 'j1', '0', '0.5', '1073741824', '0', NULL, '1', 'p1', '0', '0', '4', '15', '0', 'compile-wide', '0', '60000000000');

CREATE TABLE `table_versions` (
  `id` varchar(255) NOT NULL,
  PRIMARY KEY (`id`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

INSERT INTO `table_versions` (`id`) VALUES ('2026-11-23-documents');
INSERT INTO `table_versions` (`id`) VALUES ('2026-11-23-outcomes');
INSERT INTO `table_versions` (`id`) VALUES ('2026-11-23-recordings');
INSERT INTO `table_versions` (`id`) VALUES ('2026-11-23-tokens');
INSERT INTO `table_versions` (`id`) VALUES ('2026-11-24-blocks');
INSERT INTO `table_versions` (`id`) VALUES ('2026-11-25-trials');
INSERT INTO `table_versions` (`id`) VALUES ('2026-11-26-usage');
INSERT INTO `table_versions` (`id`) VALUES ('2026-11-26-varied');
INSERT INTO `table_versions` (`id`) VALUES ('2026-11-27-work');
INSERT INTO `table_versions` (`id`) VALUES ('2026-11-28-attempts');
INSERT INTO `table_versions` (`id`) VALUES ('2026-11-28-blocks-of-work');
INSERT INTO `table_versions` (`id`) VALUES ('2026-11-28-edited');
INSERT INTO `table_versions` (`id`) VALUES ('2026-11-28-outcomes-by-scenario');
INSERT INTO `table_versions` (`id`) VALUES ('2026-11-28-outcomes-by-state');
INSERT INTO `table_versions` (`id`) VALUES ('2026-11-28-pieces');
INSERT INTO `table_versions` (`id`) VALUES ('2026-11-28-recording-pieces');
INSERT INTO `table_versions` (`id`) VALUES ('2026-11-28-results-of-work');
INSERT INTO `table_versions` (`id`) VALUES ('2026-11-28-stack');
INSERT INTO `table_versions` (`id`) VALUES ('2026-11-28-trial-holder');
INSERT INTO `table_versions` (`id`) VALUES ('2026-11-28-trial-lease');
INSERT INTO `table_versions` (`id`) VALUES ('2026-11-28-work-rows');
INSERT INTO `table_versions` (`id`) VALUES ('2026-11-28-work-table');
INSERT INTO `table_versions` (`id`) VALUES ('2026-11-29-drift');
INSERT INTO `table_versions` (`id`) VALUES ('2026-11-29-live');
INSERT INTO `table_versions` (`id`) VALUES ('2026-11-29-tried');

CREATE TABLE `tokens` (
  `hash` varchar(64) NOT NULL,
  `name` varchar(63) DEFAULT NULL,
  `kind` varchar(16) DEFAULT NULL,
  `expires` datetime(6) DEFAULT NULL,
  `at` datetime(6) DEFAULT NULL,
  PRIMARY KEY (`hash`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

INSERT INTO `tokens` (`at`, `expires`, `hash`, `kind`, `name`) VALUES ('2026-11-23 10:00:00.000000', NULL, 'h', 'bearer', 'owner');

CREATE TABLE `tried` (
  `digest` varchar(64) NOT NULL,
  `said` mediumblob DEFAULT NULL,
  `at` datetime(6) DEFAULT NULL,
  PRIMARY KEY (`digest`),
  KEY `idx_tried_at` (`at`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

INSERT INTO `tried` (`at`, `digest`, `said`) VALUES ('2026-11-29 09:00:00.000000', 't1', '{}');

CREATE TABLE `work` (
  `id` bigint(20) unsigned NOT NULL AUTO_INCREMENT,
  `kind` varchar(16) NOT NULL DEFAULT '',
  `subject` varchar(63) DEFAULT NULL,
  `state` varchar(16) DEFAULT NULL,
  `question` mediumtext DEFAULT NULL,
  `error` text DEFAULT NULL,
  `progress` double DEFAULT NULL,
  `checkpoint` mediumtext DEFAULT NULL,
  `lease` datetime(6) DEFAULT NULL,
  `holder` varchar(32) DEFAULT NULL,
  `asked` datetime(6) DEFAULT NULL,
  `started` datetime(6) DEFAULT NULL,
  `ended` datetime(6) DEFAULT NULL,
  `by` varchar(63) DEFAULT NULL,
  `gist` text DEFAULT NULL,
  `digest` varchar(64) DEFAULT NULL,
  `varied` tinyint(1) DEFAULT NULL,
  `attempts` bigint(20) NOT NULL DEFAULT 0,
  `stack` mediumtext DEFAULT NULL,
  PRIMARY KEY (`id`),
  KEY `by_subject` (`kind`,`subject`,`id`),
  KEY `last_done` (`kind`,`state`,`varied`,`subject`,`id`),
  KEY `idx_work_state` (`state`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

INSERT INTO `work` (`asked`, `attempts`, `by`, `checkpoint`, `digest`, `ended`, `error`, `gist`, `holder`, `id`, `kind`, `lease`, `progress`, `question`, `stack`, `started`, `state`, `subject`, `varied`) VALUES ('2026-11-23 12:00:00.250000', '1', 'owner', NULL, 'o1', '2026-11-23 12:00:09.000000', '', '{"headline":"95 % start"}', 'h1', '3', 'simulation', NULL, '1', '{"documents":[{"kind":"Scenario","name":"lean","revision":1}],"recording":"r1"}', '', '2026-11-23 12:00:01.000000', 'done', 'lean', '0');
INSERT INTO `work` (`asked`, `attempts`, `by`, `checkpoint`, `digest`, `ended`, `error`, `gist`, `holder`, `id`, `kind`, `lease`, `progress`, `question`, `stack`, `started`, `state`, `subject`, `varied`) VALUES ('2026-11-23 12:10:00.000000', '3', 'owner', NULL, '', '2026-11-23 12:10:02.000000', 'a defect', '', 'h1', '4', 'simulation', NULL, '0.5', '{"documents":[]}', 'seed 7', '2026-11-23 12:10:00.000000', 'failed', 'lean', '1');
INSERT INTO `work` (`asked`, `attempts`, `by`, `checkpoint`, `digest`, `ended`, `error`, `gist`, `holder`, `id`, `kind`, `lease`, `progress`, `question`, `stack`, `started`, `state`, `subject`, `varied`) VALUES ('2026-11-23 12:20:00.000000', '1', 'owner', NULL, '', NULL, '', '', 'h1', '5', 'simulation', '2026-11-23 12:20:15.000000', '0.25', '{"documents":[]}', '', '2026-11-23 12:20:00.000000', 'running', 'lean', '0');
INSERT INTO `work` (`asked`, `attempts`, `by`, `checkpoint`, `digest`, `ended`, `error`, `gist`, `holder`, `id`, `kind`, `lease`, `progress`, `question`, `stack`, `started`, `state`, `subject`, `varied`) VALUES ('2026-11-26 12:30:00.000000', '1', 'owner', NULL, 'w1', '2026-11-26 12:30:09.000000', '', '{"headline":"an archive","best":"changed-trunk"}', 'h1', '6', 'weighing', NULL, '1', '{"documents":[],"weigh":{}}', '', '2026-11-26 12:30:00.000000', 'done', 'lean', '0');
INSERT INTO `work` (`asked`, `attempts`, `by`, `checkpoint`, `digest`, `ended`, `error`, `gist`, `holder`, `id`, `kind`, `lease`, `progress`, `question`, `stack`, `started`, `state`, `subject`, `varied`) VALUES ('2026-11-25 10:00:00.000000', '1', 'owner', '{"checks":[{"name":"reach","state":"passed","says":"it answers"}]}', NULL, '2026-11-25 10:00:03.000000', '', NULL, 'h1', '7', 'preflight', NULL, '1', '{"template": "compile-wide", "scenario": "lean", "context": "demo"}', NULL, '2026-11-25 10:00:00.000000', 'done', 'compile-wide', NULL);
INSERT INTO `work` (`asked`, `attempts`, `by`, `checkpoint`, `digest`, `ended`, `error`, `gist`, `holder`, `id`, `kind`, `lease`, `progress`, `question`, `stack`, `started`, `state`, `subject`, `varied`) VALUES ('2026-11-25 10:01:00.000000', '1', 'owner', '', NULL, NULL, '', NULL, 'h1', '8', 'rehearsal', NULL, '0', '{"template": "compile-wide", "scenario": "", "context": "demo"}', NULL, '2026-11-25 10:01:00.000000', 'running', 'compile-wide', NULL);

