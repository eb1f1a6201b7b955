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

INSERT INTO `documents` (`at`, `dropped`, `id`, `kind`, `name`, `revision`) VALUES ('2026-11-23 10:00:00', 0, 1, 'Scenario', 'lean', 2);
INSERT INTO `documents` (`at`, `dropped`, `id`, `kind`, `name`, `revision`) VALUES ('2026-11-23 10:00:00', 0, 2, 'PodTemplate', 'compile-wide', 1);

CREATE TABLE `outcomes` (
  `id` bigint(20) unsigned NOT NULL AUTO_INCREMENT,
  `scenario` varchar(63) DEFAULT NULL,
  `state` varchar(16) DEFAULT NULL,
  `inputs` mediumtext DEFAULT NULL,
  `error` text DEFAULT NULL,
  `progress` double DEFAULT NULL,
  `lease` datetime(6) DEFAULT NULL,
  `holder` varchar(32) DEFAULT NULL,
  `asked` datetime(6) DEFAULT NULL,
  `started` datetime(6) DEFAULT NULL,
  `ended` datetime(6) DEFAULT NULL,
  `by` varchar(63) DEFAULT NULL,
  `summary` text DEFAULT NULL,
  `digest` varchar(64) DEFAULT NULL,
  PRIMARY KEY (`id`),
  KEY `idx_outcomes_scenario` (`scenario`),
  KEY `idx_outcomes_state` (`state`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

INSERT INTO `outcomes` (`asked`, `by`, `digest`, `ended`, `error`, `holder`, `id`, `inputs`, `progress`, `scenario`, `started`, `state`, `summary`) VALUES ('2026-11-23 12:00:00.25', 'owner', 'o1', '2026-11-23 12:00:09', '', 'h1', 3, '{"documents":[{"kind":"Scenario","name":"lean","revision":1}],"recording":"r1"}', 1, 'lean', '2026-11-23 12:00:01', 'done', '{"headline":"95 % start"}');
INSERT INTO `outcomes` (`asked`, `by`, `digest`, `ended`, `error`, `holder`, `id`, `inputs`, `progress`, `scenario`, `started`, `state`, `summary`) VALUES ('2026-11-23 12:10:00', 'owner', '', '2026-11-23 12:10:02', 'a defect', 'h1', 4, '{"documents":[]}', 0.5, 'lean', '2026-11-23 12:10:00', 'failed', '');
INSERT INTO `outcomes` (`asked`, `by`, `digest`, `error`, `holder`, `id`, `inputs`, `lease`, `progress`, `scenario`, `started`, `state`, `summary`) VALUES ('2026-11-23 12:20:00', 'owner', '', '', 'h1', 5, '{"documents":[]}', '2026-11-23 12:20:15', 0.25, 'lean', '2026-11-23 12:20:00', 'running', '');

CREATE TABLE `recordings` (
  `digest` varchar(64) NOT NULL,
  `jobs` bigint(20) DEFAULT NULL,
  `data` longblob DEFAULT NULL,
  `at` datetime(6) DEFAULT NULL,
  PRIMARY KEY (`digest`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

INSERT INTO `recordings` (`at`, `data`, `digest`, `jobs`) VALUES ('2026-11-23 10:00:00', 'packed', 'r1', 3);

CREATE TABLE `results` (
  `outcome_id` bigint(20) unsigned NOT NULL,
  `data` longblob DEFAULT NULL,
  PRIMARY KEY (`outcome_id`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

INSERT INTO `results` (`data`, `outcome_id`) VALUES ('result of 3', 3);

CREATE TABLE `revisions` (
  `document_id` bigint(20) unsigned NOT NULL,
  `number` bigint(20) NOT NULL,
  `digest` varchar(64) DEFAULT NULL,
  `text` mediumtext DEFAULT NULL,
  `by` varchar(63) DEFAULT NULL,
  `at` datetime(6) DEFAULT NULL,
  PRIMARY KEY (`document_id`,`number`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

INSERT INTO `revisions` (`at`, `by`, `digest`, `document_id`, `number`, `text`) VALUES ('2026-11-23 10:00:00', 'owner', 'd1', 1, 1, 'kind: Scenario\n');
INSERT INTO `revisions` (`at`, `by`, `digest`, `document_id`, `number`, `text`) VALUES ('2026-11-23 11:00:00', 'owner', 'd2', 1, 2, 'kind: Scenario # two\n');
INSERT INTO `revisions` (`at`, `by`, `digest`, `document_id`, `number`, `text`) VALUES ('2026-11-23 10:00:00', 'owner', 'd3', 2, 1, 'kind: PodTemplate\n');

CREATE TABLE `table_versions` (
  `id` varchar(255) NOT NULL,
  PRIMARY KEY (`id`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

INSERT INTO `table_versions` (`id`) VALUES ('2026-11-23-documents');
INSERT INTO `table_versions` (`id`) VALUES ('2026-11-23-outcomes');
INSERT INTO `table_versions` (`id`) VALUES ('2026-11-23-recordings');
INSERT INTO `table_versions` (`id`) VALUES ('2026-11-23-tokens');

CREATE TABLE `tokens` (
  `hash` varchar(64) NOT NULL,
  `name` varchar(63) DEFAULT NULL,
  `kind` varchar(16) DEFAULT NULL,
  `expires` datetime(6) DEFAULT NULL,
  `at` datetime(6) DEFAULT NULL,
  PRIMARY KEY (`hash`)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin;

INSERT INTO `tokens` (`at`, `hash`, `kind`, `name`) VALUES ('2026-11-23 10:00:00', 'h', 'bearer', 'owner');

