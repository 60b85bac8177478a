// SPDX-License-Identifier: MIT
// A counter without hardware: what is written to a count is what it has counted. The first tells each change, the
// second (16 bits wide) tells none.
#include <linux/counter.h>
#include <linux/module.h>
#include <linux/platform_device.h>

static int fails; /* its counts cannot be read any more */
module_param(fails, int, 0644);

#define COUNTS 2
static u64 bench_counts[COUNTS];
static const u64 bench_ceilings[COUNTS] = {U64_MAX, 65535};
static enum counter_function bench_functions[COUNTS]; /* increase, at first */
static u8 bench_enabled[COUNTS];

static int bench_count_read(struct counter_device *counter, struct counter_count *count, u64 *value)
{
	if (fails)
		return -EIO;
	*value = bench_counts[count->id];
	return 0;
}

static int bench_count_write(struct counter_device *counter, struct counter_count *count, const u64 value)
{
	if (value > bench_ceilings[count->id])
		return -ERANGE;
	/* what is off, or does not count both lines, misses what goes by */
	if (!bench_enabled[count->id] || bench_functions[count->id] != COUNTER_FUNCTION_QUADRATURE_X4)
		return 0;
	bench_counts[count->id] = value;
	if (count->id == 0)
		counter_push_event(counter, COUNTER_EVENT_CHANGE_OF_STATE, 0);
	return 0;
}

static int bench_function_read(struct counter_device *counter, struct counter_count *count,
			       enum counter_function *function)
{
	*function = bench_functions[count->id];
	return 0;
}

static int bench_function_write(struct counter_device *counter, struct counter_count *count,
				enum counter_function function)
{
	bench_functions[count->id] = function;
	return 0;
}

static int bench_action_read(struct counter_device *counter, struct counter_count *count,
			     struct counter_synapse *synapse, enum counter_synapse_action *action)
{
	*action = COUNTER_SYNAPSE_ACTION_BOTH_EDGES;
	return 0;
}

static int bench_watch_validate(struct counter_device *counter, const struct counter_watch *watch)
{
	return watch->event == COUNTER_EVENT_CHANGE_OF_STATE && watch->channel == 0 ? 0 : -EINVAL;
}

static int bench_ceiling_read(struct counter_device *counter, struct counter_count *count, u64 *ceiling)
{
	*ceiling = bench_ceilings[count->id];
	return 0;
}

static int bench_ceiling_write(struct counter_device *counter, struct counter_count *count, u64 ceiling)
{
	return -EINVAL;
}

static int bench_enable_read(struct counter_device *counter, struct counter_count *count, u8 *enable)
{
	*enable = bench_enabled[count->id];
	return 0;
}

static int bench_enable_write(struct counter_device *counter, struct counter_count *count, u8 enable)
{
	bench_enabled[count->id] = enable;
	return 0;
}

static const struct counter_ops bench_ops = {
	.count_read = bench_count_read,
	.count_write = bench_count_write,
	.function_read = bench_function_read,
	.function_write = bench_function_write,
	.action_read = bench_action_read,
	.watch_validate = bench_watch_validate,
};

static const enum counter_function bench_function_list[] = {
	COUNTER_FUNCTION_INCREASE,
	COUNTER_FUNCTION_QUADRATURE_X4,
};
static const enum counter_synapse_action bench_action_list[] = {COUNTER_SYNAPSE_ACTION_BOTH_EDGES};
static struct counter_signal bench_signals[] = {
	{.id = 0, .name = "0 A"}, {.id = 1, .name = "0 B"}, {.id = 2, .name = "1 A"}, {.id = 3, .name = "1 B"},
};
#define SYNAPSE(place)                                                                                 \
	{                                                                                              \
		.actions_list = bench_action_list, .num_actions = ARRAY_SIZE(bench_action_list),       \
		.signal = &bench_signals[place],                                                       \
	}
static struct counter_synapse bench_synapses[] = {SYNAPSE(0), SYNAPSE(1), SYNAPSE(2), SYNAPSE(3)};
static struct counter_comp bench_ext[] = {
	COUNTER_COMP_CEILING(bench_ceiling_read, bench_ceiling_write),
	COUNTER_COMP_ENABLE(bench_enable_read, bench_enable_write),
};
#define COUNT(number)                                                                                  \
	{                                                                                              \
		.id = (number), .name = "count", .functions_list = bench_function_list,                \
		.num_functions = ARRAY_SIZE(bench_function_list), .synapses = &bench_synapses[2 * (number)], \
		.num_synapses = 2, .ext = bench_ext, .num_ext = ARRAY_SIZE(bench_ext),                 \
	}
static struct counter_count bench_count_list[] = {COUNT(0), COUNT(1)};

static struct platform_device *bench_device;
static struct counter_device *bench_counter;

static int __init bench_begin(void)
{
	int status;

	bench_device = platform_device_register_simple("bench-counter", -1, NULL, 0);
	if (IS_ERR(bench_device))
		return PTR_ERR(bench_device);
	bench_counter = counter_alloc(0);
	if (!bench_counter) {
		platform_device_unregister(bench_device);
		return -ENOMEM;
	}
	bench_counter->name = "bench-counter";
	bench_counter->parent = &bench_device->dev;
	bench_counter->ops = &bench_ops;
	bench_counter->counts = bench_count_list;
	bench_counter->num_counts = ARRAY_SIZE(bench_count_list);
	bench_counter->signals = bench_signals;
	bench_counter->num_signals = ARRAY_SIZE(bench_signals);
	status = counter_add(bench_counter);
	if (status) {
		counter_put(bench_counter);
		platform_device_unregister(bench_device);
	}
	return status;
}
module_init(bench_begin);

static void __exit bench_end(void)
{
	counter_unregister(bench_counter);
	counter_put(bench_counter);
	platform_device_unregister(bench_device);
}
module_exit(bench_end);
MODULE_DESCRIPTION("counter of the kernel bench");
MODULE_LICENSE("Dual MIT/GPL");
MODULE_IMPORT_NS(COUNTER);
