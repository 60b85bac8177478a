// SPDX-License-Identifier: MIT
// A PWM chip without hardware: four channels that remember nothing but what was applied to them, for the
// interface under /sys/class/pwm and its trace events.
#include <linux/module.h>
#include <linux/platform_device.h>
#include <linux/pwm.h>

static int fails = -1; /* the number of a channel that takes nothing any more */
module_param(fails, int, 0644);

static int bench_apply(struct pwm_chip *chip, struct pwm_device *pwm, const struct pwm_state *state)
{
	if (fails == (int)pwm->hwpwm)
		return -EIO;
	return state->period < 1000 ? -EINVAL : 0; /* no faster than 1 MHz */
}

static const struct pwm_ops bench_ops = {
	.apply = bench_apply,
	.owner = THIS_MODULE,
};

static struct pwm_chip bench_chip;
static struct platform_device *bench_device;

static int __init bench_begin(void)
{
	bench_device = platform_device_register_simple("bench-pwm", -1, NULL, 0);
	if (IS_ERR(bench_device))
		return PTR_ERR(bench_device);
	bench_chip.dev = &bench_device->dev;
	bench_chip.ops = &bench_ops;
	bench_chip.npwm = 4;
	return pwmchip_add(&bench_chip);
}
module_init(bench_begin);

static void __exit bench_end(void)
{
	pwmchip_remove(&bench_chip);
	platform_device_unregister(bench_device);
}
module_exit(bench_end);
MODULE_DESCRIPTION("PWM chip of the kernel bench");
MODULE_LICENSE("Dual MIT/GPL");
