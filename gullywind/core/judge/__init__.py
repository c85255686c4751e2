"""From verified places to a judgement: confidence, rivals, words."""
